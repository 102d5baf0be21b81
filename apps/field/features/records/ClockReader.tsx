import Input from '@rneui/themed/dist/Input';
import { DateTime } from 'luxon';
import { useState } from 'react';
import { View } from 'react-native';
import { clockOffset } from '@tawny/core/camera/clockOffset';
import { signed } from '@tawny/core/text/signed';
import type { Reference } from '@tawny/contract';
import { useClockOwners } from '../../data/clockOwners';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Figure, Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

/** A photographed clock gives the camera's offset: what the face shows against what the file says. */
export function ClockReader({
  reference,
  dayId,
  zone,
  camera: first,
}: {
  reference: Reference;
  dayId: string;
  zone: string;
  camera: string;
}) {
  const fileTime = DateTime.fromISO(reference.takenAt, { zone });
  const { options, knownOf, save, set } = useClockOwners(dayId);
  const [camera, setCamera] = useState(first);
  const [shown, setShown] = useState('');
  const [saved, setSaved] = useState(false);
  if (reference.takenAtFrom !== 'file')
    return (
      <Notice
        state="doubtful"
        title="This file does not say when it was taken"
        detail="Choose the file as the camera wrote it: its own clock is what is wanted."
      />
    );
  const read = () => {
    try {
      return clockOffset(Date.parse(reference.takenAt), shown, fileTime.offset);
    } catch (e) {
      return (e as Error).message;
    }
  };
  const offset = shown.length >= 7 ? read() : null;
  const known = knownOf(camera);
  const whose = options.find((o) => o.value === camera)?.title ?? '';
  const store = () => {
    if (offset === null || typeof offset === 'string') return;
    const told = { ...offset, source: 'photographed clock', referenceId: reference.id } as const;
    set(camera, told, { onSuccess: () => setSaved(true) });
  };
  return (
    <View style={{ gap: SPACE(2) }}>
      <Text
        size="small"
        tone="quietInk"
      >{`The camera's clock said ${fileTime.toFormat('HH:mm:ss.S')} (${fileTime.offsetNameShort}).`}</Text>
      <Row wrap style={{ alignItems: 'flex-end' }}>
        <View style={{ width: 170 }}>
          <Input
            label="The clock in the picture shows"
            accessibilityLabel="The clock in the picture shows"
            placeholder="hh:mm:ss"
            inputMode="numeric"
            value={shown}
            renderErrorMessage={false}
            onChangeText={(t) => {
              setShown(t);
              setSaved(false);
            }}
          />
        </View>
        <Choice
          label="Camera whose clock it is"
          options={options}
          value={camera}
          onChange={(next) => {
            setCamera(next);
            setSaved(false);
          }}
        />
      </Row>
      {typeof offset === 'string' ? (
        <Text size="small" tone="madder">
          {offset}
        </Text>
      ) : null}
      {offset !== null && typeof offset !== 'string' ? (
        <View testID="clock-offset">
          <Figure value={signed(offset.offsetS, 1)} unit="s" plusMinus={`${offset.uncertaintyS.toFixed(1)} s`} />
          <Text
            size="small"
            tone="quietInk"
          >{`${whose} runs ${offset.offsetS >= 0 ? 'fast' : 'slow'}${known ? `; so far ${known.offsetS} s by ${known.source}` : ''}.`}</Text>
        </View>
      ) : null}
      {save.error ? <Notice state="lost" title="The clock was not saved" detail={save.error.message} /> : null}
      <Row>
        <Action
          title={saved ? 'Clock saved' : `Use for ${whose[0].toLowerCase()}${whose.slice(1)}`}
          disabled={offset === null || typeof offset === 'string' || saved}
          busy={save.isPending}
          onPress={store}
        />
      </Row>
    </View>
  );
}
