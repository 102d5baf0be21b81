import { createTheme, ThemeProvider as ElementsProvider } from '@rneui/themed/dist/config';
import { createContext, useCallback, useContext, useMemo, useState, type ReactNode } from 'react';
import { useWindowDimensions } from 'react-native';
import { DAYLIGHT, FONT, LAMPLIGHT, RADIUS, SPACE, TARGET, WIDE, type Palette } from './tokens';

type ThemeName = 'daylight' | 'lamplight';

interface ThemeValue {
  name: ThemeName;
  palette: Palette;
  toggle: () => void;
}

const ThemeContext = createContext<ThemeValue | null>(null);
const KEY = 'tawny.theme';

function startingTheme(): ThemeName {
  const kept = localStorage.getItem(KEY);
  if (kept === 'daylight' || kept === 'lamplight') return kept;
  return window.matchMedia('(prefers-color-scheme: dark)').matches ? 'lamplight' : 'daylight';
}

/** Both themes, kept between visits, and React Native Elements dressed in them. */
export function ThemeProvider({ children }: { children: ReactNode }) {
  const [name, setName] = useState<ThemeName>(startingTheme);
  const palette = name === 'daylight' ? DAYLIGHT : LAMPLIGHT;
  const toggle = useCallback(() => {
    setName((old) => {
      const next = old === 'daylight' ? 'lamplight' : 'daylight';
      localStorage.setItem(KEY, next);
      return next;
    });
  }, []);
  document.documentElement.style.backgroundColor = palette.ground;
  document.body.style.backgroundColor = palette.ground;
  const elements = useMemo(
    () =>
      createTheme({
        mode: name === 'daylight' ? 'light' : 'dark',
        lightColors: {
          primary: palette.tawny,
          background: palette.ground,
          divider: palette.hairline,
          error: palette.madder,
          success: palette.tide,
          warning: palette.ochre,
        },
        darkColors: {
          primary: palette.tawny,
          background: palette.ground,
          divider: palette.hairline,
          error: palette.madder,
          success: palette.tide,
          warning: palette.ochre,
        },
        components: {
          Button: {
            buttonStyle: { borderRadius: RADIUS, minHeight: TARGET, paddingHorizontal: 16 },
            titleStyle: { fontFamily: FONT.textStrong, fontSize: 15 },
          },
          Input: {
            // The field's own room stands inside the input, so that the ring of the focus goes round all of it.
            inputContainerStyle: {
              borderWidth: 1,
              borderBottomWidth: 1,
              borderColor: palette.hairline,
              borderRadius: RADIUS,
              backgroundColor: palette.ground,
              minHeight: TARGET,
            },
            inputStyle: {
              fontFamily: FONT.number,
              fontSize: 17,
              color: palette.ink,
              minHeight: TARGET - 2,
              paddingHorizontal: SPACE(3),
              borderRadius: RADIUS,
            },
            labelStyle: {
              fontFamily: FONT.text,
              fontWeight: '400',
              fontSize: 13,
              color: palette.quietInk,
              marginBottom: SPACE(1),
            },
            containerStyle: { paddingHorizontal: 0 },
            errorStyle: { color: palette.madder, fontFamily: FONT.text, fontSize: 13, marginHorizontal: 0 },
          },
        },
      }),
    [name, palette],
  );
  const value = useMemo(() => ({ name, palette, toggle }), [name, palette, toggle]);
  return (
    <ThemeContext.Provider value={value}>
      <ElementsProvider theme={elements}>{children}</ElementsProvider>
    </ThemeContext.Provider>
  );
}

export function useTheme(): ThemeValue {
  const value = useContext(ThemeContext);
  if (!value) throw new Error('useTheme outside of ThemeProvider');
  return value;
}

export function useWide(): boolean {
  return useWindowDimensions().width >= WIDE;
}
