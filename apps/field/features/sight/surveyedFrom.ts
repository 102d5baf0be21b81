import type { SolvedMark, Vec3 } from '@tawny/core';
import type { PlanMark, Station } from '@tawny/contract';

/** Something surveyed, from the camera's pupil: metres in the world's axes. */
export interface SurveyedThing {
  name: string;
  foot: Vec3;
  top: Vec3;
}

/** Marks on the ground are shown as sticks of this height, metres. */
const STICK_M = 1;

/** Where a camera's pupil stood; the height is over the ground. */
interface Pupil {
  /** Null when nobody placed it: then nothing can be told. */
  eastM: number | null;
  northM: number | null;
  heightM: number;
}

/** Marks where the measures of the plan put them (where they were drawn while nothing ties them) and stations, as a camera has them before it. */
export function surveyedFrom(
  camera: Pupil,
  solved: readonly SolvedMark[],
  marks: readonly PlanMark[],
  stations: readonly Station[],
): SurveyedThing[] {
  const { eastM, northM } = camera;
  if (eastM === null || northM === null) return [];
  const stick = (name: string, at: { eastM: number; northM: number }, topM: number): SurveyedThing => {
    const from = (upM: number) => [at.eastM - eastM, upM - camera.heightM, northM - at.northM] as const;
    return { name, foot: from(0), top: from(topM) };
  };
  return [
    ...marks.map((m) => stick(m.name, solved.find((s) => s.id === m.id) ?? m, STICK_M)),
    // A station that is also a mark is shown once.
    ...stations.filter((s) => !marks.some((m) => m.name === s.name)).map((s) => stick(s.name, s, s.heightM)),
  ];
}
