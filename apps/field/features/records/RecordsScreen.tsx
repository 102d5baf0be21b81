import { router, useLocalSearchParams } from 'expo-router';
import { View } from 'react-native';
import type { ReferenceKind } from '@tawny/contract';
import { useTakes } from '../../data/queries';
import { useSetup } from '../../data/setup';
import { Choice } from '../../ui/Choice';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { SetupBar } from '../shell/SetupBar';
import { Waiting } from '../shell/Waiting';
import { EyeLinesPanel } from './EyeLinesPanel';
import { LampsPanel } from './LampsPanel';
import { ReadingsPanel } from './ReadingsPanel';
import { ReferencesPanel } from './ReferencesPanel';

const PAGES = [
  { value: 'references', title: 'References' },
  { value: 'readings', title: 'Readings' },
  { value: 'lamps', title: 'Lamps' },
  { value: 'eyelines', title: 'Eye lines' },
] as const;
type PageName = (typeof PAGES)[number]['value'];

const PAGE_OF: Record<string, PageName> = { reading: 'readings', lamp: 'lamps', eyeLine: 'eyelines' };

/** What is written down and photographed on the set beside the takes. The address may say what to add (`?add=greyCard`). */
export function RecordsScreen() {
  const { add, lamp, lens, page } = useLocalSearchParams<{
    add?: string;
    lamp?: string;
    lens?: string;
    page?: PageName;
  }>();
  const { setup, day, location, setups, error, choose } = useSetup();
  const takes = useTakes(setup?.id);
  if (!setup || !day || !location || !takes.data) return <Waiting error={error ?? takes.error} what="the setup" />;
  const shown: PageName = page ?? (lamp ? 'lamps' : add ? (PAGE_OF[add] ?? 'references') : 'references');
  const common = { setup, location, takes: takes.data };
  return (
    <View style={{ gap: SPACE(4) }}>
      <SetupBar setups={setups} chosen={setup.id} onChoose={choose} />
      <Text size="title" strong heading={1}>
        {`Set records of ${setup.name}`}
      </Text>
      <Choice
        label="Set records"
        options={PAGES}
        value={shown}
        onChange={(v) => router.setParams({ page: v, add: undefined, lamp: undefined })}
      />
      {shown === 'references' ? (
        <ReferencesPanel
          key={setup.id}
          {...common}
          start={add && !PAGE_OF[add] ? (add as ReferenceKind) : undefined}
          lensId={lens}
        />
      ) : null}
      {shown === 'readings' ? <ReadingsPanel key={setup.id} {...common} day={day} /> : null}
      {shown === 'lamps' ? <LampsPanel key={setup.id} {...common} openId={lamp} /> : null}
      {shown === 'eyelines' ? <EyeLinesPanel key={setup.id} {...common} /> : null}
    </View>
  );
}
