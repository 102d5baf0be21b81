import { useState } from 'react';
import { readDevicePosition } from '../records/deviceSensors';

/** Where this device is, to the tenth of a metre; altitude null when it does not know. */
interface Here {
  latitudeDeg: number;
  longitudeDeg: number;
  altitudeM: number | null;
}

/** Asks this device where it is, when somebody wants that. */
export function useHere(take: (here: Here) => void) {
  const [fault, setFault] = useState<string | null>(null);
  const ask = async () => {
    try {
      setFault(null);
      const { latitudeDeg, longitudeDeg, altitudeM } = await readDevicePosition();
      take({
        latitudeDeg: Number(latitudeDeg.toFixed(6)),
        longitudeDeg: Number(longitudeDeg.toFixed(6)),
        altitudeM: altitudeM === null ? null : Math.round(altitudeM),
      });
    } catch (e) {
      setFault((e as Error).message);
    }
  };
  return { fault, ask };
}
