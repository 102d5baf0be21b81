import { useQueryClient } from '@tanstack/react-query';
import { DateTime } from 'luxon';
import { useEffect, useRef } from 'react';
import { useProduction } from '../../data/queries';
import { Notice } from '../../ui/Notice';

/** Said once above every place while the server does not answer; when it does again, everything is read anew. */
export function LastKnown() {
  const client = useQueryClient();
  const { isError, data, dataUpdatedAt } = useProduction();
  const away = useRef(false);
  useEffect(() => {
    if (away.current && !isError) void client.invalidateQueries();
    away.current = isError;
  }, [client, isError]);
  if (!isError || !data) return null;
  return (
    <Notice
      state="doubtful"
      title="The server does not answer"
      detail={`This is what was known at ${DateTime.fromMillis(dataUpdatedAt).toFormat('d LLL HH:mm')}; drafts are kept on this device. It is asked again every ten seconds.`}
      testID="last-known"
    />
  );
}
