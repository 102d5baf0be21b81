import sharp from 'sharp';
import { openDeviceCamera, openSimulatedCamera, shotFile } from '../../features/round/phoneCamera';

const mockCall = jest.fn();
jest.mock('../../data/api', () => ({ call: (...args: unknown[]) => mockCall(...args) }));

/** What browsers say of a camera: a track with or without controls of its exposure. */
function track(can: object, settings: object) {
  return { getCapabilities: () => can, getSettings: () => settings, applyConstraints: jest.fn(async () => undefined), stop: jest.fn() }; // prettier-ignore
}
const MANUAL = { exposureMode: ['continuous', 'manual'], exposureTime: { min: 2, max: 5000 }, iso: { min: 50, max: 800 } }; // prettier-ignore
const HEAD = { headingDeg: 30, tiltDeg: 0, rollDeg: 0 };

function browser(ofTrack: ReturnType<typeof track> | Error) {
  const stream = ofTrack instanceof Error ? null : { getVideoTracks: () => [ofTrack], getTracks: () => [ofTrack] };
  const asked = jest.fn(async () => {
    if (ofTrack instanceof Error) throw ofTrack;
    return stream;
  });
  const drawn = jest.fn();
  const made = {
    video: { play: async () => undefined, videoWidth: 3072, videoHeight: 4096, srcObject: null, muted: false },
    canvas: {
      width: 0,
      height: 0,
      getContext: () => ({ drawImage: drawn }),
      toBlob: (done: (b: Blob | null) => void) => done(picture),
    },
  };
  let picture: Blob | null = new Blob(['jpeg']);
  Object.defineProperty(globalThis, 'navigator', { configurable: true, value: { mediaDevices: { getUserMedia: asked } } }); // prettier-ignore
  Object.assign(globalThis, { document: { createElement: (kind: keyof typeof made) => made[kind] } });
  return { asked, drawn, canvas: made.canvas, blind: () => (picture = null) };
}

describe('the camera of the phone through a browser', () => {
  test('without one it says what to do instead; who forbade it is told, and what else went wrong', async () => {
    Object.defineProperty(globalThis, 'navigator', { configurable: true, value: {} });
    await expect(openDeviceCamera()).rejects.toThrow(/gives no camera here .* Use the stand-in/);
    browser(Object.assign(new Error('no'), { name: 'NotAllowedError' }));
    await expect(openDeviceCamera()).rejects.toThrow('The browser was not allowed to use the camera.');
    browser(Object.assign(new Error('in use'), { name: 'NotReadableError' }));
    await expect(openDeviceCamera()).rejects.toThrow('No camera can be had (in use).');
  });
  test('where exposure can be held it is, in the units of the standard, and what was really taken is told', async () => {
    const held = track(MANUAL, { exposureTime: 20, iso: 50 });
    const { drawn, canvas } = browser(held);
    const camera = await openDeviceCamera();
    // 100 microseconds a tick.
    expect(camera.shutters).toEqual({ fastestS: 2e-4, slowestS: 0.5 });
    const shot = await camera.photograph(HEAD, 1 / 500);
    expect(held.applyConstraints).toHaveBeenCalledWith({
      advanced: [{ exposureMode: 'manual', exposureTime: 20, iso: 50 }],
    });
    expect([canvas.width, canvas.height]).toEqual([3072, 4096]);
    expect(drawn).toHaveBeenCalledTimes(1);
    expect(shot).toMatchObject({ shutterS: 2e-3, iso: 50 });
    camera.close();
    expect(held.stop).toHaveBeenCalledTimes(1);
  });
  test('where it cannot be held nothing is asked of it, and nothing is claimed', async () => {
    const free = track({}, {});
    const { blind } = browser(free);
    const camera = await openDeviceCamera();
    expect(camera.shutters).toBeNull();
    expect(await camera.photograph(HEAD, 1 / 500)).toMatchObject({ shutterS: null, iso: null });
    expect(free.applyConstraints).not.toHaveBeenCalled();
    blind();
    await expect(camera.photograph(HEAD, null)).rejects.toThrow('The camera gave no picture.');
  });
});

describe('its stand-in', () => {
  const frame = { jpegBase64: Buffer.from('picture').toString('base64'), shutterS: 1 / 250, iso: 50 };
  beforeEach(() => mockCall.mockReset().mockResolvedValue(frame));
  test('asks the server for what it sees, and tells its exposure only where it can hold it', async () => {
    const held = openSimulatedCamera('HERN', 'r', 54, true);
    const shot = await held.photograph({ headingDeg: 10, tiltDeg: 5, rollDeg: 1 }, 1 / 250);
    expect(mockCall).toHaveBeenCalledWith('rounds.phoneFrame', {
      params: { production: 'HERN', id: 'r' },
      body: { headingDeg: 10, tiltDeg: 5, rollDeg: 1, fovDeg: 54, shutterS: 1 / 250 },
    });
    expect(shot).toMatchObject({ shutterS: 1 / 250, iso: 50 });
    expect(shot.jpeg.size).toBe(7);
    const free = openSimulatedCamera('HERN', 'r', 54, false);
    expect(free.shutters).toBeNull();
    expect(await free.photograph(HEAD, null)).toMatchObject({ shutterS: null, iso: null });
  });
  test('a refusal of the server is heard', async () => {
    mockCall.mockRejectedValue(new Error('The round is gone'));
    await expect(openSimulatedCamera('HERN', 'r', 54, true).photograph(HEAD, null)).rejects.toThrow(
      'The round is gone',
    );
  });
});

test('a shot becomes a file whose bytes are the picture and what is known of it', async () => {
  const bytes = await sharp({ create: { width: 32, height: 24, channels: 3, background: '#888' } }).jpeg().toBuffer(); // prettier-ignore
  const jpeg = { arrayBuffer: async () => new Uint8Array(bytes).buffer } as unknown as Blob;
  const made = jest.fn();
  Object.assign(globalThis, {
    File: class {
      constructor(parts: Uint8Array[], name: string, kind: object) {
        made(Buffer.from(parts[0]), name, kind);
      }
    },
  });
  await shotFile({ jpeg, shutterS: 1 / 60, iso: 100 }, 'v1.jpg', new Date('2026-10-14T15:20:30Z'), HEAD);
  const [written, name, kind] = made.mock.lastCall!;
  expect(name).toBe('v1.jpg');
  expect(kind).toEqual({ type: 'image/jpeg' });
  const meta = await sharp(written).metadata();
  expect([meta.width, meta.height]).toEqual([32, 24]);
  expect(meta.exif!.toString('latin1')).toContain('2026:10:14 15:20:30');
  expect(written.toString('latin1')).toContain('GPano:PoseHeadingDegrees="30.00"');
});
