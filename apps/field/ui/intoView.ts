import type { View } from 'react-native';

/** As a ref of what is chosen in a row that scrolls: it is in sight when the row appears. */
export function intoView(element: View | null): void {
  // On the web a view is an element of the page.
  (element as unknown as HTMLElement | null)?.scrollIntoView?.({ inline: 'center', block: 'nearest' });
}
