import { router } from 'expo-router';
import { useState } from 'react';
import { View } from 'react-native';
import type { CameraBody, FileCells, LensRecord, TakeInput } from '@tawny/contract';
import { upload } from '../../data/api';
import { useProductionCode } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { PICTURE_FILES, pickFiles } from '../../ui/pickFiles';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';

const TITLES: Record<string, string> = {
  bodyId: 'Camera body',
  formatName: 'Recording format',
  lensId: 'Lens',
  focalLengthMm: 'Focal length, mm',
  tStop: 'Stop, T',
  ei: 'EI',
  shutterAngleDeg: 'Shutter, °',
  fps: 'Frame rate, fps',
  focusM: 'Focus, m',
  shotAt: 'Time',
};

interface FromFileProps {
  take: TakeInput;
  change: (part: Partial<TakeInput>) => void;
  takeId: string | undefined;
  lenses: readonly LensRecord[];
  bodies: readonly CameraBody[];
}

/** Cells from a file's metadata. Where file and log disagree both are shown and somebody chooses. */
export function FromFile({ take, change, takeId, lenses, bodies }: FromFileProps) {
  const code = useProductionCode();
  const [read, setRead] = useState<FileCells | null>(null);
  const [error, setError] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const pick = async () => {
    const [file] = await pickFiles({ accept: PICTURE_FILES });
    if (!file) return;
    setBusy(true);
    setError(null);
    try {
      setRead(
        await upload('takes.readFile', { params: { production: code }, query: { takeId } }, [file], () => undefined),
      );
    } catch (e) {
      setRead(null);
      setError((e as Error).message);
    } finally {
      setBusy(false);
    }
  };
  const shown = (field: string, value: unknown) =>
    (field === 'lensId'
      ? lenses.find((l) => l.id === value)?.name
      : field === 'bodyId'
        ? bodies.find((b) => b.id === value)?.name
        : null) ?? (value === null || value === undefined ? 'empty' : String(value));
  const log = take as unknown as Record<string, unknown>;
  const same = (field: string, value: number | string) =>
    typeof value === 'number' && typeof log[field] === 'number'
      ? Math.abs((log[field] as number) / value - 1) < 0.005
      : log[field] === value;
  const choose = (field: string, value: number | string, useFile: boolean) => {
    const { [field]: _old, ...rest } = take.fromFile;
    change(
      useFile
        ? ({ [field]: value, fromFile: { ...rest, [field]: read!.file } } as Partial<TakeInput>)
        : { fromFile: rest },
    );
  };
  const cells = read ? Object.entries(read.cells) : [];
  const differing = cells.filter(([f, v]) => !same(f, v));
  return (
    <View style={{ gap: 12 }}>
      <Row wrap>
        <Action title="Read a file" onPress={() => void pick()} busy={busy} />
        {differing.length > 0 ? (
          <Action
            title={`Take all ${differing.length} from the file`}
            onPress={() =>
              change({
                ...Object.fromEntries(differing),
                fromFile: { ...take.fromFile, ...Object.fromEntries(differing.map(([f]) => [f, read!.file])) },
              } as Partial<TakeInput>)
            }
          />
        ) : null}
      </Row>
      <Text size="small" tone="quietInk">
        Tags are a prior: what is measured later decides, and the screen says which one is in use.
      </Text>
      {error ? <Notice state="lost" title="The file says nothing usable" detail={error} /> : null}
      {read ? (
        <Text strong>{`${read.file}${read.widthPx ? `, ${read.widthPx} × ${read.heightPx} px upright` : ''}`}</Text>
      ) : null}
      {cells.map(([field, value]) => (
        <Row key={field} wrap style={{ justifyContent: 'space-between' }}>
          <Text>{TITLES[field] ?? field}</Text>
          {take.fromFile[field] === read!.file ? (
            <Text tone="tide" strong>{`${shown(field, value)}, from file`}</Text>
          ) : same(field, value) ? (
            <Text tone="tide">{`${shown(field, value)}: file and log agree`}</Text>
          ) : (
            <Choice
              label={`${TITLES[field] ?? field}: log or file`}
              options={[
                { value: 'log', title: `Log ${shown(field, log[field])}` },
                { value: 'file', title: `File ${shown(field, value)}` },
              ]}
              value="log"
              onChange={(v) => choose(field, value, v === 'file')}
            />
          )}
        </Row>
      ))}
      {read?.unknownLens ? (
        <Notice
          state="doubtful"
          title={`The kit does not know the lens "${read.unknownLens}"`}
          detail="Add it, then read the file again: its transmission turns the f-number into a T-stop."
        >
          <Row>
            <Action
              title="Add this lens"
              onPress={() => router.push(`/${code}/kit/lenses?add=${encodeURIComponent(read.unknownLens!)}` as never)}
            />
          </Row>
        </Notice>
      ) : null}
      {read?.unknownBody ? (
        <Text size="small" tone="ochre">{`Camera "${read.unknownBody}" is not in the kit.`}</Text>
      ) : null}
      {read?.notes.map((n) => (
        <Text key={n} size="small" tone="quietInk">
          {n}
        </Text>
      ))}
    </View>
  );
}
