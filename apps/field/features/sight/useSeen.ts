import { useState } from 'react';
import type { PlanMark, Reading, Sight } from '@tawny/contract';
import type { SurveyedThing } from './surveyedFrom';
import { seenOf, withTap, type Marking, type Seen, type Tap } from './seenMarks';

/** What the plan and the log know of a set. */
export interface SetRecords {
  marks: readonly PlanMark[];
  /** Compass bearings. */
  compass: readonly Reading[];
  /** Marks and stations from the camera of the take; none while it is not placed. */
  surveyed: readonly SurveyedThing[];
}

/** Marking in the panorama: what was marked, what the next tap marks, and a tap. */
export function useSeen(sight: Partial<Sight> | null | undefined, set: SetRecords) {
  const [seen, setSeen] = useState<Seen>(() => seenOf(sight));
  const [marking, setMarking] = useState<Marking>('mark');
  const [markId, setMarkId] = useState<string>();
  const [readingId, setReadingId] = useState<string>();
  /** One end of an edge. */
  const [begun, setBegun] = useState<Tap | null>(null);
  return {
    seen,
    marking,
    markId,
    readingId,
    begun,
    change: setSeen,
    mark: (to: Marking) => {
      setMarking(to);
      setBegun(null);
    },
    chooseMark: setMarkId,
    chooseReading: setReadingId,
    /** A direction in the panorama's own frame. */
    tap: (at: Tap) => {
      const chosen = {
        mark: set.marks.find((m) => m.id === markId),
        reading: set.compass.find((r) => r.id === readingId),
        begun,
      };
      const next = withTap(seen, marking, at, chosen);
      if (next) setSeen(next);
      setBegun(marking === 'edge' && !next ? at : null);
    },
  };
}
