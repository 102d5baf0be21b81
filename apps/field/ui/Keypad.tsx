import { useState } from 'react';
import { Modal, Pressable, View } from 'react-native';
import { Figure, Text } from './Text';
import { useTheme } from './theme';
import { RADIUS, SPACE } from './tokens';

const KEYS = ['7', '8', '9', '4', '5', '6', '1', '2', '3', '±', '0', '.'];

interface KeypadProps {
  label: string;
  unit?: string;
  /** Shown until a key is pressed. */
  value: number;
  onDone: (value: number) => void;
  onClose: () => void;
}

/** Large digits for gloves, from the lower edge of the screen. */
export function Keypad({ label, unit, value, onDone, onClose }: KeypadProps) {
  const { palette } = useTheme();
  const [text, setText] = useState('');
  const press = (key: string) =>
    setText((t) =>
      key === '±' ? (t.startsWith('-') ? t.slice(1) : `-${t}`) : key === '.' && t.includes('.') ? t : t + key,
    );
  const parsed = Number(text);
  const valid = text !== '' && text !== '-' && Number.isFinite(parsed);
  const key = (title: string, action: () => void, tone: 'ink' | 'tawny' = 'ink', name = title) => (
    <Pressable
      key={title}
      role="button"
      aria-label={name}
      onPress={action}
      style={({ pressed }) => ({
        flexBasis: '31%',
        flexGrow: 1,
        height: 60,
        alignItems: 'center',
        justifyContent: 'center',
        borderRadius: RADIUS,
        borderWidth: 1,
        borderColor: palette.hairline,
        backgroundColor: pressed ? palette.hairline : palette.ground,
      })}
    >
      <Text size="title" strong tone={tone}>
        {title}
      </Text>
    </Pressable>
  );
  return (
    <Modal transparent visible animationType="none" onRequestClose={onClose}>
      <Pressable
        aria-label="Close the keypad"
        onPress={onClose}
        style={{ flex: 1, backgroundColor: 'rgba(0, 0, 0, 0.35)' }}
      />
      <View
        role="dialog"
        aria-label={`Keypad for ${label}`}
        style={{
          backgroundColor: palette.raised,
          padding: SPACE(4),
          gap: SPACE(3),
          width: '100%',
          maxWidth: 480,
          alignSelf: 'center',
        }}
      >
        <View style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'baseline' }}>
          <Text tone="quietInk">{label}</Text>
          <Figure
            value={text === '' ? String(value) : text}
            unit={unit}
            size="figure"
            tone={text === '' ? 'quietInk' : 'ink'}
          />
        </View>
        <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE(2) }}>
          {KEYS.map((k) => key(k, () => press(k), 'ink', k === '±' ? 'Sign' : k === '.' ? 'Point' : k))}
          {key('⌫', () => setText((t) => t.slice(0, -1)), 'ink', 'Delete digit')}
          {key('Cancel', onClose)}
          {key(
            'Set',
            () => {
              if (valid) onDone(parsed);
              onClose();
            },
            'tawny',
          )}
        </View>
      </View>
    </Modal>
  );
}
