import { Image } from 'react-native';
import { fileAddress } from '../../data/api';
import { useProductionCode } from '../../data/queries';

/** A plate's display picture, over all of what holds it; what is drawn over it gets the drags. */
export function PlateImage({ id }: { id: string }) {
  const code = useProductionCode();
  return (
    <Image
      source={{ uri: fileAddress('plates.preview', { production: code, id }) }}
      style={{ width: '100%', height: '100%' }}
      {...({ draggable: false } as object)}
      resizeMode="stretch"
      accessibilityLabel=""
    />
  );
}
