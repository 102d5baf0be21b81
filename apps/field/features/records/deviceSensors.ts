import type { Attitude } from '@tawny/core';
import { attitudeOfDevice } from '@tawny/core/orient/device';

const WAIT_MS = 1500;

interface Orientation extends DeviceOrientationEvent {
  /** Some phones give the magnetic heading on its own. */
  webkitCompassHeading?: number;
}

/** One event of the orientation sensor, asked for where the browser wants to be asked. @throws Error in words when there is none */
async function orientation(): Promise<Orientation> {
  const asks = (window.DeviceOrientationEvent as unknown as { requestPermission?: () => Promise<string> } | undefined)
    ?.requestPermission;
  if (asks && (await asks()) !== 'granted')
    throw new Error('The browser was not allowed to use the orientation sensor.');
  return new Promise((resolve, reject) => {
    const done = (e: Event) => {
      const o = e as Orientation;
      if (o.beta === null && o.alpha === null && o.webkitCompassHeading === undefined) return;
      stop();
      resolve(o);
    };
    const stop = () => {
      clearTimeout(timer);
      window.removeEventListener('deviceorientationabsolute', done);
      window.removeEventListener('deviceorientation', done);
    };
    const timer = setTimeout(() => {
      stop();
      reject(
        new Error(
          'It has no orientation sensor that the browser may read. Enter the value, or use the simulated instrument.',
        ),
      );
    }, WAIT_MS);
    window.addEventListener('deviceorientationabsolute', done);
    window.addEventListener('deviceorientation', done);
  });
}

/** Magnetic bearing in which the top of the device points, degrees. */
export async function readDeviceCompass(): Promise<number> {
  const o = await orientation();
  if (o.webkitCompassHeading !== undefined) return Math.round(o.webkitCompassHeading * 10) / 10;
  if (!o.absolute || o.alpha === null) throw new Error('Its sensor tells turns but not where north is. Use a compass.');
  return (Math.round((360 - o.alpha) * 10) / 10) % 360;
}

/** Tilt of the device held upright like a camera, degrees, up positive. */
export async function readDeviceTilt(): Promise<number> {
  const o = await orientation();
  if (o.beta === null) throw new Error('Its sensor tells no tilt.');
  return Math.round((o.beta - 90) * 10) / 10;
}

/** Coordinates of the device. @throws Error in words */
export function readDevicePosition(): Promise<{
  latitudeDeg: number;
  longitudeDeg: number;
  altitudeM: number | null;
  accuracyM: number;
}> {
  return new Promise((resolve, reject) => {
    if (!('geolocation' in navigator)) {
      reject(new Error('This browser gives no position. Enter the coordinates.'));
      return;
    }
    navigator.geolocation.getCurrentPosition(
      ({ coords }) =>
        resolve({
          latitudeDeg: coords.latitude,
          longitudeDeg: coords.longitude,
          altitudeM: coords.altitude,
          accuracyM: coords.accuracy,
        }),
      (e) =>
        reject(
          new Error(
            e.code === e.PERMISSION_DENIED
              ? 'The browser was not allowed to use the position. Enter the coordinates.'
              : 'No position could be had here. Enter the coordinates.',
          ),
        ),
      { enableHighAccuracy: true, timeout: 10000 },
    );
  });
}

/** Where a back camera looks. Its heading is a compass's only where the sensor says that it knows north; else it counts turns from anywhere. */
export interface DeviceLook extends Attitude {
  knowsNorth: boolean;
}

/** Tells where the back camera looks, again and again, until the returned function is called; `onError` when there is no sensor. */
export function watchAttitude(onLook: (look: DeviceLook) => void, onError: (error: Error) => void): () => void {
  let stopped = false;
  let heard = 'deviceorientation';
  const tell = (e: Event) => {
    const { alpha, beta, gamma, absolute } = e as Orientation;
    if (alpha !== null && beta !== null && gamma !== null)
      onLook({ ...attitudeOfDevice(alpha, beta, gamma), knowsNorth: absolute });
  };
  orientation().then(
    // The sensor that answered first, and no other: headings of two would not be counted from one place.
    (o) => !stopped && window.addEventListener((heard = o.type), tell),
    (e: Error) => !stopped && onError(e),
  );
  return () => {
    stopped = true;
    window.removeEventListener(heard, tell);
  };
}
