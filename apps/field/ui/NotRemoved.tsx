import { Notice } from './Notice';

/** Why something could not be removed or taken back, in the server's words; nothing while all is well. */
export function NotRemoved({ error }: { error: Error | null }) {
  return error ? <Notice state="lost" title="Nothing was removed or taken back" detail={error.message} /> : null;
}
