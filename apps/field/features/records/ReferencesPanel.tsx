import { router } from 'expo-router';
import { useState } from 'react';
import { Image, View } from 'react-native';
import type { Comparison, Reference, ReferenceKind, Location, Setup, PictureDecoding, Take } from '@tawny/contract';
import { REFERENCE_KINDS } from '@tawny/contract/setRecords';
import { signed } from '@tawny/core/text/signed';
import { call, fileAddress, upload } from '../../data/api';
import {
  useJob,
  useObjects,
  useProductionCode,
  useReferences,
  useRemove,
  useRenew,
  useOperation,
  stageOf,
} from '../../data/queries';
import { clock } from '../../data/time';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { PICTURE_FILES, pickFiles } from '../../ui/pickFiles';
import { Panel, Row } from '../../ui/Panel';
import { Progress } from '../../ui/Progress';
import { StateMark } from '../../ui/StateMark';
import { Text } from '../../ui/Text';
import { useTheme, useWide } from '../../ui/theme';
import { DecodingOf } from '../decodings/DecodingOf';
import { Waiting } from '../shell/Waiting';
import { ClockReader } from './ClockReader';

interface PanelProps {
  setup: Setup;
  location: Location;
  takes: readonly Take[];
  /** Kind to begin with. */
  start?: ReferenceKind;
  lensId?: string;
}

const SIMULATED: ReadonlySet<ReferenceKind> = new Set([
  'greyCard',
  'chart',
  'greyBall',
  'chromeBall',
  'cleanPlate',
  'setPhoto',
  'lensGrid',
  'clock',
]);

/** What a gain or colours are measured by, in place of a plate that shows none. */
const MEASURED: ReadonlySet<ReferenceKind> = new Set(['greyCard', 'chart', 'greyBall', 'chromeBall']);

/** Photographs made to be measured, with what each still lacks. */
export function ReferencesPanel({ setup, location, takes, start, lensId }: PanelProps) {
  const references = useReferences(setup.id);
  const wide = useWide();
  if (!references.data) return <Waiting error={references.error} what="the references" />;
  return (
    <View style={{ gap: 16 }}>
      <AddReference
        setup={setup}
        takes={takes}
        start={start ?? 'greyCard'}
        lensId={lensId}
        onAdded={() => void references.refetch()}
      />
      {references.data.length === 0 ? (
        <Notice
          state="open"
          title="No reference photographed yet"
          detail="Card, chart, both balls in every light; a clean plate before the camera moves; a grid for each lens."
        />
      ) : null}
      <View style={wide ? { flexDirection: 'row', flexWrap: 'wrap', gap: 16 } : { gap: 16 }}>
        {references.data.map((r) => (
          <View key={r.id} style={wide ? { width: 372 } : undefined}>
            <ReferenceCard
              reference={r}
              setup={setup}
              location={location}
              takes={takes}
              onChanged={() => void references.refetch()}
            />
          </View>
        ))}
      </View>
    </View>
  );
}

function AddReference({
  setup,
  takes,
  start,
  lensId,
  onAdded,
}: {
  setup: Setup;
  takes: readonly Take[];
  start: ReferenceKind;
  lensId?: string;
  onAdded: () => void;
}) {
  const code = useProductionCode();
  const objects = useObjects();
  const [kind, setKind] = useState<ReferenceKind>(start);
  const [sending, setSending] = useState<number | null>(null);
  const [error, setError] = useState<string | null>(null);
  const job = useJob(setup.id, 'simulateReference');
  const simulate = useOperation('references.simulate');
  const take = takes[0];
  const object = objects.data?.find((o) => o.kind === kind);
  const send = async (capture: boolean) => {
    const files = await pickFiles({ accept: PICTURE_FILES, multiple: !capture, capture });
    if (files.length === 0) return;
    setError(null);
    setSending(0);
    const query = {
      setupId: setup.id,
      kind,
      lightCondition: setup.lightCondition,
      ...(take && kind !== 'lensGrid' ? { takeId: take.id } : {}),
      ...(object ? { objectId: object.id } : {}),
      ...(kind === 'lensGrid' && (lensId ?? take?.lensId) ? { lensId: lensId ?? take!.lensId } : {}),
    };
    try {
      const { problems } = await upload(
        'references.upload',
        { params: { production: code }, query },
        files,
        setSending,
      );
      if (problems.length > 0) setError(problems.map((p) => p.message).join('; '));
      onAdded();
    } catch (e) {
      setError((e as Error).message);
    } finally {
      setSending(null);
    }
  };
  const running = job.data && (job.data.state === 'queued' || job.data.state === 'running') ? job.data : null;
  return (
    <Panel title="New reference">
      <Choice
        label="Kind of reference"
        options={(Object.keys(REFERENCE_KINDS) as ReferenceKind[]).map((k) => ({
          value: k,
          title: REFERENCE_KINDS[k],
        }))}
        value={kind}
        onChange={setKind}
      />
      <Text
        size="small"
        tone="quietInk"
      >{`${setup.lightCondition}${take && kind !== 'lensGrid' ? ` · with ${take.slate} take ${take.take}` : ''}${object ? ` · ${object.name}` : ''}`}</Text>
      <Row wrap>
        <Action
          kind="main"
          grow
          title="Photograph it with this device"
          onPress={() => void send(true)}
          busy={sending !== null}
        />
        <Action title="Choose files" onPress={() => void send(false)} />
        {SIMULATED.has(kind) && take ? (
          <Action
            title="Simulated plate camera"
            busy={simulate.isPending || running !== null}
            onPress={() => simulate.mutate({ kind, takeId: take.id }, { onSuccess: () => void job.refetch() })}
          />
        ) : null}
      </Row>
      {running ? <Progress stage={stageOf(running)} fraction={running.progress} /> : null}
      {job.data?.error ? (
        <Notice state="lost" title="The simulated camera could not photograph it" detail={job.data.error.message} />
      ) : null}
      {sending !== null ? <Progress stage="Sending" fraction={sending} /> : null}
      {error ? <Notice state="lost" title="The photograph was not taken in" detail={error} /> : null}
    </Panel>
  );
}

function ReferenceCard({
  reference: r,
  setup,
  location,
  takes,
  onChanged,
}: {
  reference: Reference;
  setup: Setup;
  location: Location;
  takes: readonly Take[];
  onChanged: () => void;
}) {
  const code = useProductionCode();
  const { palette } = useTheme();
  const objects = useObjects();
  const removal = useRemove('references');
  const renew = useRenew();
  const [gone, setGone] = useState(false);
  const [comparison, setComparison] = useState<Comparison | null>(null);
  const [error, setError] = useState<string | null>(null);
  const guarded = async (work: () => Promise<void>) => {
    try {
      setError(null);
      await work();
    } catch (e) {
      setError((e as Error).message);
    }
  };
  const measure = () =>
    guarded(async () => {
      await call('references.plate', { params: { production: code, id: r.id }, body: {} });
      await renew('references.plate');
      router.push(`/${code}/measure?setup=${setup.id}&take=${r.takeId}`);
    });
  const compare = () =>
    guarded(async () => setComparison(await call('references.compare', { params: { production: code, id: r.id } })));
  const change = (
    part: Partial<Pick<Reference, 'takeId' | 'lensId' | 'objectId'>> & { decoding?: PictureDecoding | null },
  ) =>
    guarded(async () => {
      await call('references.change', {
        params: { production: code, id: r.id },
        body: { ...part, version: r.version },
      });
      onChanged();
    });
  if (gone)
    return (
      <Notice state="open" title="The reference was removed">
        <Row>
          <Action title="Take it back" onPress={() => removal.restore(r.id, { onSuccess: () => setGone(false) })} />
        </Row>
        <NotRemoved error={removal.error} />
      </Notice>
    );
  const take = takes.find((t) => t.id === r.takeId);
  const fitting = (objects.data ?? []).filter((o) => o.kind === (r.kind as string));
  return (
    <Panel>
      <View style={{ backgroundColor: palette.surround, alignItems: 'center', padding: 8 }}>
        <Image
          source={{ uri: fileAddress('references.preview', { production: code, id: r.id }) }}
          accessibilityLabel={`${REFERENCE_KINDS[r.kind]}, ${r.name}`}
          style={{ width: '100%', aspectRatio: r.widthPx / r.heightPx }}
          resizeMode="contain"
        />
      </View>
      <Row style={{ justifyContent: 'space-between' }}>
        <Text strong>{REFERENCE_KINDS[r.kind]}</Text>
        <StateMark
          state={r.lacks.length === 0 ? 'complete' : 'doubtful'}
          word={r.lacks.length === 0 ? 'Complete' : 'Lacks something'}
        />
      </Row>
      <Text size="small" tone="quietInk">
        {[
          r.name,
          r.lightCondition,
          clock(r.takenAt, location.zone),
          take ? `${take.slate} take ${take.take}` : '',
          r.shutterS ? `1/${Math.round(1 / r.shutterS)} s` : '',
          r.iso ? `ISO ${r.iso}` : '',
          `${r.widthPx} × ${r.heightPx} px`,
        ]
          .filter(Boolean)
          .join(' · ')}
      </Text>
      {r.lacks.length > 0 ? <Text size="small" tone="ochre">{`Lacks ${r.lacks.join(', ')}`}</Text> : null}
      {fitting.length > 0 && !r.objectId ? (
        <Choice
          label="Which object"
          options={fitting.map((o) => ({ value: o.id, title: o.name }))}
          value=""
          onChange={(objectId) => void change({ objectId })}
        />
      ) : null}
      {r.kind === 'clock' ? (
        <ClockReader reference={r} dayId={setup.dayId} zone={location.zone} camera={take?.camera ?? 'A'} />
      ) : null}
      {r.takeId && (r.kind === 'cleanPlate' || r.kind === 'setPhoto' || MEASURED.has(r.kind)) ? (
        <DecodingOf stated={r.decoding} busy={false} error={null} onState={(decoding) => void change({ decoding })} />
      ) : null}
      {comparison ? <Compared c={comparison} /> : null}
      {error ? <Notice state="lost" title="That did not work" detail={error} /> : null}
      <NotRemoved error={removal.error} />
      <Row wrap>
        {r.takeId && (r.kind === 'cleanPlate' || r.kind === 'setPhoto') ? (
          <Action title="Compare with its take" onPress={() => void compare()} />
        ) : null}
        {r.takeId && MEASURED.has(r.kind) ? <Action title="Measure on it" onPress={() => void measure()} /> : null}
        <Action title="Remove" onPress={() => removal.remove(r, { onSuccess: () => setGone(true) })} />
      </Row>
    </Panel>
  );
}

/** Did the camera move, is the light the same? Said while it can still be shot again. */
function Compared({ c }: { c: Comparison }) {
  const light = Math.abs(c.exposureStops) > Math.max(0.05, c.exposureUncertaintyStops);
  return (
    <Notice
      testID="comparison"
      state={c.moved ? 'lost' : light ? 'doubtful' : 'complete'}
      title={c.moved ? 'The camera moved' : light ? 'Same place, other exposure' : 'Same place, same exposure'}
      detail={`Shift ${c.shiftPx.toFixed(2)} ± ${c.shiftUncertaintyPx.toFixed(2)} px of ${c.widthPx} (x ${c.shiftXPx.toFixed(2)}, y ${c.shiftYPx.toFixed(2)}); exposure ${signed(c.exposureStops, 3)} ± ${c.exposureUncertaintyStops.toFixed(3)} stop.${c.moved ? ' Shoot it again while the camera can still be put back.' : ''}`}
    />
  );
}
