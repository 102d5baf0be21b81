import { Notice } from '../../ui/Notice';
import { Text } from '../../ui/Text';

/** While something is read, or when it could not be. */
export function Waiting({ error, what }: { error: Error | null; what: string }) {
  if (error) return <Notice state="lost" title={`Could not read ${what}`} detail={error.message} />;
  return <Text tone="quietInk">{`Reading ${what} ...`}</Text>;
}
