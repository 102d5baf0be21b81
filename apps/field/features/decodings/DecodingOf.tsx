import { useState } from 'react';
import { View } from 'react-native';
import type { PictureDecoding, StatedDecoding } from '@tawny/contract';
import { useCurves } from '../../data/queries';
import { Action } from '../../ui/Action';
import { Notice } from '../../ui/Notice';
import { Row } from '../../ui/Panel';
import { Text } from '../../ui/Text';
import { SPACE } from '../../ui/tokens';
import { DecodingForm } from './DecodingForm';
import { decodingWords } from './decodingWords';

interface DecodingOfProps {
  stated: StatedDecoding;
  busy: boolean;
  error: Error | null;
  /** Null leaves it to file and kit again. */
  onState: (decoding: PictureDecoding | null) => void;
}

/** What the code values of a picture mean and who says so; asked where nobody does, and changed at any time. */
export function DecodingOf({ stated: { decoding, from, source }, busy, error, onState }: DecodingOfProps) {
  const curves = useCurves().data ?? [];
  const [open, setOpen] = useState(false);
  const [draft, setDraft] = useState<PictureDecoding | null>(null);
  const state = (value: PictureDecoding | null) => {
    onState(value);
    setOpen(false);
  };
  return (
    <View style={{ gap: SPACE(2) }}>
      {decoding ? (
        <Text size="small" tone="quietInk" testID="decoding">
          {`Code values: ${decodingWords(decoding, curves)} (${source})`}
        </Text>
      ) : (
        <Notice
          state="open"
          title="What its code values mean is not stated"
          detail={`Measuring waits for it: ${source}. State it here for this picture, or in the kit for its recording format.`}
        />
      )}
      {error ? <Notice state="lost" title="It was not stated" detail={error.message} /> : null}
      {open ? (
        <>
          <DecodingForm value={draft} onChange={setDraft} />
          <Row wrap>
            <Action kind="main" title="State it" busy={busy} disabled={!draft} onPress={() => state(draft)} />
            {from === 'entered' ? <Action title="Leave it to file and kit" onPress={() => state(null)} /> : null}
            <Action title="Cancel" onPress={() => setOpen(false)} />
          </Row>
        </>
      ) : (
        <Row>
          <Action
            title={decoding ? 'Change what the code values mean' : 'State what the code values mean'}
            onPress={() => {
              setDraft(decoding);
              setOpen(true);
            }}
          />
        </Row>
      )}
    </View>
  );
}
