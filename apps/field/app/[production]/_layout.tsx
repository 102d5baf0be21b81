import { Slot } from 'expo-router';
import { Beginning } from '../../features/day/Beginning';
import { Shell } from '../../features/shell/Shell';

export default function ProductionLayout() {
  return (
    <Shell>
      <Beginning>
        <Slot />
      </Beginning>
    </Shell>
  );
}
