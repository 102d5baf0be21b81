import { router, useLocalSearchParams } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import type { Take, TakeInput, CameraBody, FilterRecord, LensRecord, Location, Setup, ShootDay } from '@tawny/contract';
import { takeFaults } from '@tawny/contract/takeRules';
import { takeInput } from '@tawny/contract/takes';
import { ApiError } from '../../data/api';
import { useBodies, useFilters, useLenses, useProductionCode, useRemove, useSave, useTakes } from '../../data/queries';
import { useSetup } from '../../data/setup';
import { clockOfTake } from '../../data/time';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Fold } from '../../ui/Fold';
import { Notice } from '../../ui/Notice';
import { NotRemoved } from '../../ui/NotRemoved';
import { Panel, Row } from '../../ui/Panel';
import { Figure, Text } from '../../ui/Text';
import { useTheme } from '../../ui/theme';
import { SPACE } from '../../ui/tokens';
import { KitLacks } from '../kit/KitLacks';
import { Waiting } from '../shell/Waiting';
import { ChangeCells } from './ChangeCells';
import { ClipPanel } from './ClipPanel';
import { FromFile } from './FromFile';
import { IdentityCells } from './IdentityCells';
import { LensFacts } from './LensFacts';
import { TimeCells, timeOfTakeWords } from './TimeCells';
import { ExposureCells, LensCells, PlaceCells } from './ValueCells';
import { FIRST_TOLD, lastOf, useTakeDrafts, type Unstated } from './takeDrafts';
import { runsNow, timedAtSaving } from './takeTime';

/** A new take as a copy of the last, or a stored one opened again (`?take=`). */
export function TakeScreen() {
  const { take: wanted } = useLocalSearchParams<{ take?: string }>();
  const { setup, day, location, error } = useSetup();
  const takes = useTakes(setup?.id);
  const bodies = useBodies();
  const lenses = useLenses();
  const filters = useFilters();
  if (!setup || !day || !location || !takes.data || !bodies.data || !lenses.data || !filters.data)
    return (
      <Waiting error={error ?? takes.error ?? bodies.error ?? lenses.error ?? filters.error} what="the last take" />
    );
  if (bodies.data.length === 0 || lenses.data.length === 0)
    return (
      <KitLacks
        bodies={bodies.data}
        lenses={lenses.data}
        wants="A take names the camera body and the lens that shot it."
      />
    );
  const editing = takes.data.find((t) => t.id === wanted);
  return (
    <TakeForm
      key={`${setup.id}${editing?.id ?? ''}`}
      setup={setup}
      day={day}
      location={location}
      takes={takes.data}
      bodies={bodies.data}
      lenses={lenses.data}
      filters={filters.data}
      editing={editing}
    />
  );
}

interface TakeFormProps {
  setup: Setup;
  day: ShootDay;
  location: Location;
  takes: Take[];
  bodies: CameraBody[];
  lenses: LensRecord[];
  filters: FilterRecord[];
  editing: Take | undefined;
}

/** What a first take still wants to be told. */
const unstatedWords = (camera: string, open: readonly Unstated[], several: boolean): string =>
  `${several ? `Camera ${camera} still` : 'Still'} to be said: ${open.map((f) => FIRST_TOLD[f]).join(', ')}. The next takes copy it.`;

/** The grid of value cells: changed ones are marked, the old value beside. */
function TakeForm({ setup, day, location, takes, bodies, lenses, filters, editing }: TakeFormProps) {
  const code = useProductionCode();
  const { palette } = useTheme();
  const context = { setup, day, zone: location.zone, takes, bodies, lenses };
  const { drafts, take, unstated, change, choose, setSame, addCamera, dropCamera, undo, reset } = useTakeDrafts(
    context,
    editing,
  );
  const save = useSave<TakeInput & { version?: number }>('takes');
  const removal = useRemove('takes');
  const [saved, setSaved] = useState<string | null>(null);
  const last = editing ?? lastOf(takes, take.camera);
  const body = bodies.find((b) => b.id === take.bodyId) ?? bodies[0];
  const lens = lenses.find((l) => l.id === take.lensId) ?? lenses[0];
  const faultsOf = (t: TakeInput) => {
    const shape = takeInput.safeParse(t);
    const b = bodies.find((x) => x.id === t.bodyId) ?? bodies[0];
    const l = lenses.find((x) => x.id === t.lensId) ?? lenses[0];
    return [
      ...(shape.success ? [] : shape.error.issues.map((i) => ({ field: String(i.path[0]), message: i.message }))),
      ...takeFaults(
        t,
        b,
        l,
        filters.filter((f) => t.filterIds.includes(f.id)),
      ),
    ];
  };
  const faults = faultsOf(take);
  const fault = (field: string) =>
    faults.find((f) => f.field === field)?.message ??
    (save.error instanceof ApiError ? save.error.field(field) : undefined);
  const cameras = Object.keys(drafts.takes);
  const wrongElsewhere = cameras.filter((c) => c !== drafts.active && faultsOf(drafts.takes[c]).length > 0);
  const waiting = cameras.filter((c) => (drafts.unstated[c] ?? []).length > 0);
  const blocked = faults.length > 0 || wrongElsewhere.length > 0 || waiting.length > 0;
  const cells = { take, last, change, fault, unstated };
  const atSaving = !editing && runsNow(takes[0], context);
  const home = `/${code}/log?setup=${setup.id}`;

  const submit = async (again: boolean) => {
    if (editing) {
      await save.mutateAsync({ record: { ...take, version: editing.version }, change: take });
      router.replace(home as never);
      return;
    }
    const stored: Take[] = [];
    const now = new Date();
    for (const camera of cameras)
      stored.push(
        (await save.mutateAsync({ record: timedAtSaving(drafts.takes[camera], takes[0], context, now) })) as Take,
      );
    reset({ ...context, takes: [...stored, ...takes] });
    if (again) setSaved(`${stored[0].slate} take ${stored[0].take} saved`);
    else router.replace(home as never);
  };
  const run = (again: boolean) => {
    // The mutation itself shows what went wrong; the drafts stay as they are.
    submit(again).catch(() => undefined);
  };
  const removeIt = () => {
    // Awaited, not a callback: the form is gone by the time the list is read anew. What went wrong is shown below.
    removal.removeAsync({ id: editing!.id, version: editing!.version }).then(
      () => router.replace(`${home}&removed=${editing!.id}` as never),
      () => undefined,
    );
  };
  const summary = [
    take.roll,
    take.clip,
    take.timecodeIn,
    take.support === 'lockedOff' ? '' : take.support,
    take.flopped ? 'flopped' : '',
    take.lightCondition,
  ]
    .filter(Boolean)
    .join(' · ');

  return (
    <View style={{ gap: SPACE(4) }}>
      <Row wrap style={{ justifyContent: 'space-between' }}>
        <View>
          <Text size="small" tone="quietInk">
            {atSaving && take.shotAtFrom === 'assumed'
              ? setup.name
              : `${setup.name} · ${clockOfTake(take, location.zone)}`}
          </Text>
          <Figure value={`${take.slate} / ${take.take}`} unit={`camera ${take.camera}`} size="figure" />
        </View>
        <View style={{ alignItems: 'flex-end' }}>
          {last && !editing ? <Text size="small" tone="quietInk">{`Copied from take ${last.take}`}</Text> : null}
          {saved ? (
            <Text size="small" tone="tide" strong testID="take-saved">
              {saved}
            </Text>
          ) : null}
        </View>
      </Row>
      {editing ? null : (
        <Row wrap style={{ justifyContent: 'space-between' }}>
          <Choice
            label="Camera"
            options={cameras.map((c) => ({ value: c, title: `Camera ${c}` }))}
            value={drafts.active}
            onChange={choose}
          />
          <Row gap={2}>
            {cameras.length > 1 ? (
              <Choice
                multiple
                label="Same for all cameras"
                options={[{ value: 'same', title: 'Same for all cameras' }]}
                value={drafts.same ? ['same'] : []}
                onChange={() => setSame(!drafts.same)}
              />
            ) : null}
            {cameras.length > 1 ? (
              <Action title={`Without ${drafts.active}`} onPress={() => dropCamera(drafts.active)} />
            ) : null}
            <Action title="Add camera" onPress={addCamera} />
          </Row>
        </Row>
      )}
      <Panel title="Exposure">
        <ExposureCells {...cells} filters={filters} />
      </Panel>
      <Panel title="Camera and lens">
        <LensCells {...cells} bodies={bodies} lenses={lenses} />
        {unstated.length === 0 ? <LensFacts take={take} body={body} lens={lens} /> : null}
      </Panel>
      <Panel title="Where it stood">
        <PlaceCells {...cells} />
      </Panel>
      <Fold title="When it ran" summary={timeOfTakeWords(take, location.zone, atSaving)}>
        <TimeCells take={take} change={change} zone={location.zone} atSaving={atSaving} />
      </Fold>
      <Fold
        title="Slate and clip"
        summary={summary}
        open={Boolean(fault('slate') ?? fault('take') ?? fault('timecodeIn') ?? fault('timecodeRate'))}
      >
        <IdentityCells {...cells} setup={setup} />
      </Fold>
      <Fold
        title="During the take"
        summary={
          take.changes.length === 0
            ? 'Nothing moves: no focus pull, zoom, iris or camera move'
            : `${take.changes.length} keys`
        }
      >
        <ChangeCells take={take} change={change} fault={fault('changes')} />
      </Fold>
      <Fold
        title="From a file"
        summary={
          Object.keys(take.fromFile).length === 0
            ? 'Fill cells from the metadata of a plate frame or still'
            : `${Object.keys(take.fromFile).length} cells come from ${Object.values(take.fromFile)[0]}`
        }
      >
        <FromFile take={take} change={change} takeId={editing?.id} lenses={lenses} bodies={bodies} />
      </Fold>
      {editing ? (
        <Fold title="Plate clip" summary="A video or image sequence of this take; chosen frames become plate frames">
          <ClipPanel
            takeId={editing.id}
            shotAt={take.shotAt}
            zone={location.zone}
            onTime={(shotAt) => change({ shotAt })}
          />
        </Fold>
      ) : null}
      <View
        style={{
          position: 'sticky' as 'relative',
          bottom: 0,
          backgroundColor: palette.ground,
          paddingVertical: SPACE(3),
          gap: SPACE(2),
          borderTopWidth: 1,
          borderColor: palette.hairline,
          zIndex: 2,
        }}
      >
        {faults.length > 0 ? (
          <Notice
            testID="take-faults"
            state="lost"
            title="This cannot be right yet"
            detail={faults.map((f) => f.message).join('. ')}
          />
        ) : null}
        {wrongElsewhere.length > 0 ? (
          <Notice
            state="lost"
            title={`Camera ${wrongElsewhere.join(', ')} cannot be right yet`}
            detail="Choose it above to see what is wrong."
          />
        ) : null}
        {waiting.length > 0 ? (
          <Text size="small" tone="quietInk" testID="take-unstated">
            {waiting.map((c) => unstatedWords(c, drafts.unstated[c], cameras.length > 1)).join(' ')}
          </Text>
        ) : null}
        <NotRemoved error={removal.error} />
        {save.error ? (
          <Notice
            state="lost"
            title="The take was not saved"
            detail={`${save.error.message}. What you entered is kept here.`}
          />
        ) : null}
        <Row wrap gap={2}>
          <Action
            kind="main"
            grow
            title={
              editing
                ? `Save take ${take.take}`
                : cameras.length > 1
                  ? `Save take ${take.take}, ${cameras.length} cameras`
                  : `Save take ${take.take}`
            }
            onPress={() => run(false)}
            busy={save.isPending}
            disabled={blocked}
          />
          {editing ? null : (
            <Action title="Save and next" onPress={() => run(true)} disabled={save.isPending || blocked} />
          )}
          <Action title="Undo" disabled={!undo} onPress={() => undo?.()} />
          {editing ? (
            <Action title="Remove" onPress={removeIt} />
          ) : (
            <Action
              title="Discard"
              onPress={() => {
                reset(context);
                router.replace(home as never);
              }}
            />
          )}
        </Row>
      </View>
    </View>
  );
}
