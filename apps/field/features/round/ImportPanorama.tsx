import { useState } from 'react';
import { View } from 'react-native';
import type { LightRound } from '@tawny/contract';
import { upload } from '../../data/api';
import { useProductionCode, useRenew } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Choice } from '../../ui/Choice';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { pickFiles } from '../../ui/pickFiles';
import { Progress } from '../../ui/Progress';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';

type Lie = 'usual' | 'mirrored' | 'upsideDown';

/** A panorama that was made elsewhere, with the same checks as one that is built here. */
export function ImportPanorama({ round }: { round: LightRound }) {
  const code = useProductionCode();
  const renew = useRenew();
  const [lie, setLie] = useState<Lie>('usual');
  const [progress, setProgress] = useState<number | null>(null);
  const [error, setError] = useState<string | null>(null);
  const send = async (file: File | undefined) => {
    if (!file) return;
    setError(null);
    setProgress(0);
    try {
      await upload(
        'rounds.importPanorama',
        {
          params: { production: code, id: round.id },
          query: { mirrored: String(lie === 'mirrored'), upsideDown: String(lie === 'upsideDown') },
        },
        [file],
        setProgress,
      );
    } catch (e) {
      setError((e as Error).message);
    }
    setProgress(null);
    await renew('rounds.importPanorama');
  };
  return (
    <View style={{ gap: SPACE(3) }}>
      <Text tone="quietInk">
        OpenEXR or Radiance HDR, latitude-longitude, twice as wide as high. Which way its left edge looks does not
        matter: north is measured afterwards.
      </Text>
      <Choice
        label="How it lies"
        options={[
          { value: 'usual', title: 'As seen from inside' },
          { value: 'mirrored', title: 'Mirrored' },
          { value: 'upsideDown', title: 'Upside down' },
        ]}
        value={lie}
        onChange={setLie}
      />
      {progress !== null ? <Progress stage="Sending the panorama" fraction={progress} /> : null}
      {error ? (
        <Notice state="lost" title="The panorama was not taken in" detail={error} testID="import-error" />
      ) : null}
      <Row>
        <Action
          kind="main"
          grow
          title="Choose a panorama"
          busy={progress !== null}
          onPress={() => void pickFiles({ accept: '.exr,.hdr' }).then(([file]) => send(file))}
        />
      </Row>
    </View>
  );
}
