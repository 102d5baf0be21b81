import { useQueryClient } from '@tanstack/react-query';
import { DateTime } from 'luxon';
import { useEffect, useRef } from 'react';
import { ApiError } from '../../data/api';
import { useProduction } from '../../data/queries';
import { clock } from '../../data/time';
import { Notice } from '../../ui/Notice';

/** Said once above every place while the server does not answer; when it does again, everything is read anew. */
export function LastKnown() {
  const client = useQueryClient();
  const { error, data, dataUpdatedAt } = useProduction();
  // A refusal is an answer.
  const isAway = error instanceof ApiError && (error.problem.status === 0 || error.problem.status >= 500);
  const away = useRef(false);
  useEffect(() => {
    if (away.current && !isAway) void client.invalidateQueries();
    away.current = isAway;
  }, [client, isAway]);
  if (!isAway || !data) return null;
  const zone = DateTime.local().zoneName;
  return (
    <Notice
      state="doubtful"
      title="The server does not answer"
      detail={`This is what was known on ${DateTime.fromMillis(dataUpdatedAt).toFormat('d LLLL')} at ${clock(new Date(dataUpdatedAt), zone)}. Drafts of takes stay on this device. It is asked again every few seconds.`}
      testID="last-known"
    />
  );
}
