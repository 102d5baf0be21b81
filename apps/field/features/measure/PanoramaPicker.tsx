import { fileAddress } from '../../data/api';
import { useProductionCode } from '../../data/queries';
import { clockShort } from '../../data/time';
import { PictureChoice } from '../../ui/PictureChoice';
import type { ShotPanorama } from './useChosenPanorama';

interface PanoramaPickerProps {
  shot: readonly ShotPanorama[];
  chosen: string | undefined;
  zone: string;
  onChoose: (id: string) => void;
}

/** The panoramas of a setup with small pictures: round, light, time and version of each. */
export function PanoramaPicker({ shot, chosen, zone, onChoose }: PanoramaPickerProps) {
  const code = useProductionCode();
  return (
    <PictureChoice
      label="Panorama"
      aspect={2}
      options={shot.map(({ panorama, round }) => ({
        value: panorama.id,
        uri: fileAddress('panoramas.preview', { production: code, id: panorama.id }),
        title: `${round.name}, ${round.lightCondition}`,
        detail: `${clockShort(round.shotAt, zone)} · version ${panorama.number}`,
        spoken: `${round.name}, ${round.lightCondition}, version ${panorama.number}`,
      }))}
      value={chosen}
      onChange={onChoose}
    />
  );
}
