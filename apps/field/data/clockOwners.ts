import type { CameraClock, PanoramaRig } from '@tawny/contract';
import { clockOfRig, clockOwner, RIG_CLOCK } from '@tawny/contract/days';
import { useClocks, useRigs, useSave } from './queries';

const LETTERS = ['A', 'B', 'C', 'D'];
type Owner = Pick<CameraClock, 'camera' | 'rigId'>;

/** Cameras by their letters and every rig of the kit; a rig that nobody named while the kit has none. */
const ownersOf = (rigs: readonly PanoramaRig[]): Owner[] => [
  ...LETTERS.map((camera) => ({ camera, rigId: null })),
  ...(rigs.length > 0 ? rigs : [null]).map((rig) => ({ camera: RIG_CLOCK, rigId: rig?.id ?? null })),
];
const valueOf = ({ camera, rigId }: Owner) => rigId ?? camera;
const capital = (words: string) => words[0].toUpperCase() + words.slice(1);

/** The clocks of a day, whose each is, and how one of them is set. */
export function useClockOwners(dayId: string) {
  const clocks = useClocks(dayId);
  const rigs = useRigs();
  const save = useSave<Partial<CameraClock> & { id: string; version?: number }>('clocks');
  const owners = ownersOf(rigs.data ?? []);
  const nameOf = (owner: Owner) => capital(clockOwner(owner, rigs.data ?? []));
  const ownerOf = (value: string) => owners.find((o) => valueOf(o) === value)!;
  const knownOf = (value: string): CameraClock | null => {
    const { camera, rigId } = ownerOf(value);
    const known = clocks.data ?? [];
    return camera === RIG_CLOCK ? clockOfRig(known, rigId) : (known.find((c) => c.camera === camera) ?? null);
  };
  return {
    clocks: clocks.data ?? [],
    nameOf,
    options: owners.map((o) => ({ value: valueOf(o), title: nameOf(o) })),
    knownOf,
    save,
    /** Sets the clock of `value`, of which something may be known already. */
    set: (
      value: string,
      told: Pick<CameraClock, 'offsetS' | 'uncertaintyS' | 'source' | 'referenceId'>,
      then?: { onSuccess: () => void },
    ) => {
      const owner = ownerOf(value);
      const record = knownOf(value) ?? { id: crypto.randomUUID(), dayId, ...owner, ...told };
      // A clock of a rig that nobody named gets its name with its next reading.
      save.mutate({ record, change: { ...told, rigId: owner.rigId } }, then);
    },
  };
}
