import { Slot } from 'expo-router';
import { Shell } from '../../features/shell/Shell';

export default function ProductionLayout() {
  return (
    <Shell>
      <Slot />
    </Shell>
  );
}
