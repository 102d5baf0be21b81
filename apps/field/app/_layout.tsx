import { HankenGrotesk_400Regular } from '@expo-google-fonts/hanken-grotesk/400Regular';
import { HankenGrotesk_600SemiBold } from '@expo-google-fonts/hanken-grotesk/600SemiBold';
import { SplineSansMono_400Regular } from '@expo-google-fonts/spline-sans-mono/400Regular';
import { SplineSansMono_500Medium } from '@expo-google-fonts/spline-sans-mono/500Medium';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { useFonts } from 'expo-font';
import { Slot } from 'expo-router';
import { useEffect, useState } from 'react';
import { SafeAreaProvider } from 'react-native-safe-area-context';
import { ApiError, holdCalls } from '../data/api';
import { keepLastKnown } from '../data/lastKnown';
import { dropLastSeen } from '../data/lastSeen';
import { askForDay } from '../data/queries';
import { ThemeProvider } from '../ui/theme';

export default function RootLayout() {
  const [client] = useState(() => {
    const made = new QueryClient({
      defaultOptions: {
        queries: {
          staleTime: 5000,
          retry: (count, error) =>
            count < 2 && !(error instanceof ApiError && error.problem.status >= 400 && error.problem.status < 500),
        },
      },
    });
    const [, code, place] = window.location.pathname.split('/');
    const known = keepLastKnown(made, localStorage);
    if (place === 'day') {
      if (known) holdCalls();
      else askForDay(made, code);
    }
    return made;
  });
  // Whatever became of the screen that was shown last: a hand that reaches for it gets the true one.
  useEffect(() => {
    const timer = setTimeout(dropLastSeen, 5000);
    window.addEventListener('pointerdown', dropLastSeen, { once: true });
    return () => clearTimeout(timer);
  }, []);
  // Nothing waits for them: words that can be read stand at once.
  useFonts({
    HankenGrotesk_400Regular,
    HankenGrotesk_600SemiBold,
    SplineSansMono_400Regular,
    SplineSansMono_500Medium,
  });
  return (
    <SafeAreaProvider>
      <QueryClientProvider client={client}>
        <ThemeProvider>
          <Slot />
        </ThemeProvider>
      </QueryClientProvider>
    </SafeAreaProvider>
  );
}
