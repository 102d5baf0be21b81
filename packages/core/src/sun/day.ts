import { Body, SearchHourAngle, SearchRiseSet } from 'astronomy-engine';
import { observerAt, sunTrack, type Place } from './ephemeris';

export interface SunDay {
  rise: Date | null;
  transit: Date;
  set: Date | null;
  /** Elevation every `stepMinutes` from the start to the end, both included. */
  curve: { utc: Date; elevationDeg: number; azimuthDeg: number }[];
}

/** Apparent elevation and azimuth every so many minutes, from the start to the end, both included where the steps meet it. */
export function sunCurve(place: Place, start: Date, end: Date, stepMinutes: number): SunDay['curve'] {
  const at = sunTrack(place);
  const curve: SunDay['curve'] = [];
  for (let t = start.getTime(); t <= end.getTime(); t += stepMinutes * 60000) {
    const utc = new Date(t);
    const { elevationDeg, azimuthDeg } = at(utc);
    curve.push({ utc, elevationDeg, azimuthDeg });
  }
  return curve;
}

/** The sun over a span of time (a local day): rise, transit and set inside it, and its elevation curve. */
export function sunDay(place: Place, start: Date, end: Date, stepMinutes = 10): SunDay {
  const observer = observerAt(place);
  const inside = (t: { date: Date } | null) => (t && t.date <= end ? t.date : null);
  const days = (end.getTime() - start.getTime()) / 86400000;
  return {
    rise: inside(SearchRiseSet(Body.Sun, observer, 1, start, days)),
    transit: SearchHourAngle(Body.Sun, observer, 0, start).time.date,
    set: inside(SearchRiseSet(Body.Sun, observer, -1, start, days)),
    curve: sunCurve(place, start, end, stepMinutes),
  };
}
