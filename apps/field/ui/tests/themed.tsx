import { render } from '@testing-library/react-native';
import type { ReactElement } from 'react';
import { ThemeProvider } from '../theme';

// The interface runs in a browser; of it the theme alone is asked for here.
beforeAll(() => {
  const style = {};
  Object.assign(globalThis, {
    localStorage: { getItem: () => 'lamplight', setItem: () => undefined },
    document: { documentElement: { style }, body: { style } },
  });
});

/** Draws something as it stands on a screen of the application. */
export const show = (element: ReactElement) => render(<ThemeProvider>{element}</ThemeProvider>);
