import piexif from 'piexifjs';
import type { Attitude } from '@tawny/core';
import { call } from '../../data/api';

/** A picture with what is known of it. */
export interface Shot {
  jpeg: Blob;
  shutterS: number | null;
  iso: number | null;
}

/** A camera that can be pointed and released: the phone's own through the browser, or its stand-in. */
export interface PhoneCamera {
  /** Shutters that can be locked, shortest and longest; null when the browser does not let exposure be held. */
  shutters: { fastestS: number; slowestS: number } | null;
  /** Shows what it sees; null for the stand-in, which has no picture between releases. */
  stream: MediaStream | null;
  photograph(attitude: Attitude, shutterS: number | null): Promise<Shot>;
  close(): void;
}

/** Exposure controls as the image capture standard names them; exposure times in units of 100 microseconds. */
interface ExposureControls {
  exposureMode?: string[];
  exposureTime?: { min: number; max: number };
  iso?: { min: number; max: number };
}

const TICK_S = 1e-4;
const SETTLE_MS = 250;

/** @throws Error in words when the browser gives no camera */
export async function openDeviceCamera(): Promise<PhoneCamera> {
  if (!navigator.mediaDevices?.getUserMedia)
    throw new Error(
      'This browser gives no camera here (it wants a secure address). Use the stand-in, or photograph and upload.',
    );
  const stream = await navigator.mediaDevices
    .getUserMedia({
      audio: false,
      video: { facingMode: 'environment', width: { ideal: 4096 }, height: { ideal: 3072 } },
    })
    .catch((e: Error) => {
      throw new Error(
        e.name === 'NotAllowedError'
          ? 'The browser was not allowed to use the camera.'
          : `No camera can be had (${e.message}).`,
      );
    });
  const track = stream.getVideoTracks()[0];
  const can = (track.getCapabilities?.() ?? {}) as ExposureControls;
  const shutters =
    can.exposureMode?.includes('manual') && can.exposureTime
      ? { fastestS: can.exposureTime.min * TICK_S, slowestS: can.exposureTime.max * TICK_S }
      : null;
  const video = document.createElement('video');
  video.srcObject = stream;
  video.muted = true;
  await video.play();
  return {
    shutters,
    stream,
    async photograph(_attitude, shutterS) {
      if (shutters && shutterS !== null) {
        await track.applyConstraints({
          advanced: [
            {
              exposureMode: 'manual',
              exposureTime: shutterS / TICK_S,
              ...(can.iso ? { iso: can.iso.min } : {}),
            } as MediaTrackConstraintSet,
          ],
        });
        await new Promise((done) => setTimeout(done, SETTLE_MS));
      }
      const canvas = document.createElement('canvas');
      canvas.width = video.videoWidth;
      canvas.height = video.videoHeight;
      canvas.getContext('2d')!.drawImage(video, 0, 0);
      const jpeg = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/jpeg', 0.95));
      if (!jpeg) throw new Error('The camera gave no picture.');
      const now = track.getSettings() as { exposureTime?: number; iso?: number };
      return { jpeg, shutterS: now.exposureTime ? now.exposureTime * TICK_S : null, iso: now.iso ?? null };
    },
    close: () => stream.getTracks().forEach((t) => t.stop()),
  };
}

/** The stand-in: the server's simulated set through a phone's lens; its exposure can be held or not, as browsers differ. */
export function openSimulatedCamera(
  code: string,
  roundId: string,
  fovDeg: number,
  holdsExposure: boolean,
): PhoneCamera {
  return {
    shutters: holdsExposure ? { fastestS: 1 / 16000, slowestS: 1 / 8 } : null,
    stream: null,
    async photograph({ headingDeg, tiltDeg, rollDeg }, shutterS) {
      const frame = await call('rounds.phoneFrame', {
        params: { production: code, id: roundId },
        body: { headingDeg, tiltDeg, rollDeg, fovDeg, shutterS },
      });
      const bytes = Uint8Array.from(atob(frame.jpegBase64), (c) => c.charCodeAt(0));
      return {
        jpeg: new Blob([bytes], { type: 'image/jpeg' }),
        shutterS: holdsExposure ? frame.shutterS : null,
        iso: holdsExposure ? frame.iso : null,
      };
    },
    close: () => undefined,
  };
}

/** Where a phone looks; its heading is a compass's only where its sensor knows north. */
export interface PhoneLook extends Attitude {
  knowsNorth?: boolean;
}

/** The zone of a time, of a later edition of the standard than the library knows. */
const OFFSET_TIME_ORIGINAL = 0x9011;
piexif.TAGS.Exif[OFFSET_TIME_ORIGINAL] = { name: 'OffsetTimeOriginal', type: 'Ascii' };

const XMP_HEAD = 'http://ns.adobe.com/xap/1.0/\0';

/**
 * Writes what is known of a shot into its JPEG, as a camera does: time, shutter and ISO as Exif, the bearing by its compass where it has one, where it looked as the panorama pose of the XMP standard. What is not known is left out.
 * @param binary the JPEG, one character a byte
 */
export function stamp(
  binary: string,
  facts: { at: Date; shutterS: number | null; iso: number | null; attitude: PhoneLook },
): string {
  const iso = facts.at.toISOString();
  const exif: Record<number, unknown> = {
    [piexif.ExifIFD.DateTimeOriginal]: iso.slice(0, 19).replace(/-/g, ':').replace('T', ' '),
    [piexif.ExifIFD.SubSecTimeOriginal]: iso.slice(20, 23),
    [OFFSET_TIME_ORIGINAL]: '+00:00',
    ...(facts.shutterS === null ? {} : { [piexif.ExifIFD.ExposureTime]: [Math.round(facts.shutterS * 1e6), 1000000] }),
    ...(facts.iso === null ? {} : { [piexif.ExifIFD.ISOSpeedRatings]: Math.round(facts.iso) }),
  };
  const { headingDeg, tiltDeg, rollDeg, knowsNorth } = facts.attitude;
  const bearing = ((headingDeg % 360) + 360) % 360;
  // A phone's compass means magnetic north.
  const gps = knowsNorth
    ? { [piexif.GPSIFD.GPSImgDirectionRef]: 'M', [piexif.GPSIFD.GPSImgDirection]: [Math.round(bearing * 100), 100] }
    : {};
  const tagged = piexif.insert(
    piexif.dump({ '0th': { [piexif.ImageIFD.Model]: 'Phone in the browser' }, Exif: exif, GPS: gps }),
    binary,
  );
  // As the published XMP specification of the GPano namespace (1.0) defines them.
  const pose = {
    PoseHeadingDegrees: bearing,
    PosePitchDegrees: tiltDeg,
    PoseRollDegrees: rollDeg,
  };
  const fields = Object.entries(pose)
    .map(([k, v]) => `GPano:${k}="${v.toFixed(2)}"`)
    .join(' ');
  const xmp = `${XMP_HEAD}<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:GPano="http://ns.google.com/photos/1.0/panorama/" ${fields}/></rdf:RDF></x:xmpmeta>`;
  const size = xmp.length + 2;
  // After the Exif segment: readers look for it right behind the start of the file.
  const exifEnd = 2 + 2 + tagged.charCodeAt(4) * 256 + tagged.charCodeAt(5);
  return `${tagged.slice(0, exifEnd)}\xff\xe1${String.fromCharCode(size >> 8, size & 255)}${xmp}${tagged.slice(exifEnd)}`;
}

/** A shot as a file to upload. */
export async function shotFile(shot: Shot, name: string, at: Date, attitude: PhoneLook): Promise<File> {
  const bytes = new Uint8Array(await shot.jpeg.arrayBuffer());
  let binary = '';
  for (let i = 0; i < bytes.length; i += 8192) binary += String.fromCharCode(...bytes.subarray(i, i + 8192));
  const stamped = stamp(binary, { at, shutterS: shot.shutterS, iso: shot.iso, attitude });
  return new File([Uint8Array.from(stamped, (c) => c.charCodeAt(0))], name, { type: 'image/jpeg' });
}
