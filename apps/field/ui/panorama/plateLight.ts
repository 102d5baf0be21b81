import { useQuery } from '@tanstack/react-query';
import { fileAddress } from '../../data/api';
import { useProductionCode } from '../../data/queries';
import { parseFloatPicture, typicalLuminance, type FloatPicture } from './floatPicture';

/** A plate's light; while nobody said what its codes mean, its display picture. */
export async function plateLight(
  production: string,
  id: string,
): Promise<{ picture: FloatPicture | ImageBitmap; typical: number | null }> {
  const light = await fetch(fileAddress('plates.float', { production, id }));
  if (light.ok) {
    const picture = parseFloatPicture(await light.arrayBuffer());
    return { picture, typical: typicalLuminance(picture, 'rec709') };
  }
  const shown = await fetch(fileAddress('plates.preview', { production, id }));
  if (!shown.ok) throw new Error(`The plate could not be read (${shown.status})`);
  return { picture: await createImageBitmap(await shown.blob(), { colorSpaceConversion: 'none' }), typical: null };
}

/** A plate's light for values under a finger; null while nobody said what its codes mean. */
export function usePlateLight(id: string, version: number) {
  const code = useProductionCode();
  return useQuery({
    // What its codes mean may be said anew: then it is another picture.
    queryKey: [code, 'plate light', id, version],
    staleTime: Infinity,
    gcTime: 60000,
    queryFn: async () => {
      const { picture, typical } = await plateLight(code, id);
      return 'halves' in picture ? { picture, typical: typical! } : null;
    },
  });
}
