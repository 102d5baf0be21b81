import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { z } from 'zod';
import sharp from 'sharp';
import { FileProblem, type FileDecoding } from '@tawny/formats';
import { rgbCodes, videoMeaning, videoSignal, type VideoSignal } from './videoMeaning';

const run = promisify(execFile);

export interface VideoFacts {
  widthPx: number;
  heightPx: number;
  fps: number;
  frames: number;
  startTimecode: string | null;
  /** When it was recorded, as far as the file says. */
  time: { statedMs: number | null; createdMs: number | null };
  signal: VideoSignal;
  meaning: FileDecoding;
}

const probeSchema = z.object({
  streams: z.array(
    z.object({
      codec_type: z.string().optional(),
      width: z.number().optional(),
      height: z.number().optional(),
      pix_fmt: z.string().optional(),
      color_range: z.string().optional(),
      color_space: z.string().optional(),
      color_transfer: z.string().optional(),
      color_primaries: z.string().optional(),
      r_frame_rate: z.string().optional(),
      avg_frame_rate: z.string().optional(),
      nb_frames: z.string().optional(),
      duration: z.string().optional(),
      nb_read_packets: z.string().optional(),
      tags: z.record(z.string(), z.string()).optional(),
      side_data_list: z.array(z.object({ rotation: z.number().optional() })).optional(),
    }),
  ),
  format: z.object({ duration: z.string().optional(), tags: z.record(z.string(), z.string()).optional() }).optional(),
});

const rate = (text: string | undefined) => {
  const m = text?.match(/^(\d+)\/(\d+)$/);
  return m && Number(m[2]) > 0 ? Number(m[1]) / Number(m[2]) : 0;
};

/** No recording of a shoot is older: containers count from 1904 or 1970. */
const FIRST_CLOCK_MS = Date.UTC(1980, 0, 1);

/** Size, rate, length and start timecode of a video file. @throws FileProblem when it does not decode */
export async function probeVideo(path: string, name: string): Promise<VideoFacts> {
  const bad = (why: string) => new FileProblem('damaged-image', name, why);
  let text: string;
  try {
    ({ stdout: text } = await run(
      'ffprobe',
      ['-v', 'error', '-count_packets', '-show_streams', '-show_format', '-of', 'json', path],
      { timeout: 60000, maxBuffer: 4 << 20 },
    ));
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT')
      throw new Error('ffprobe is not installed (Debian package ffmpeg)');
    throw bad('is no video that can be decoded here; copy it again from the card, or export it as H.264');
  }
  const { streams, format } = probeSchema.parse(JSON.parse(text));
  const video = streams.find((s) => s.codec_type === 'video');
  if (!video?.width || !video.height) throw bad('holds no picture; choose the camera file itself');
  const fps = rate(video.r_frame_rate) || rate(video.avg_frame_rate);
  const frames = Number(video.nb_read_packets ?? video.nb_frames ?? 0);
  if (!(fps > 0) || !(frames > 0)) throw bad('breaks off before its first frame; copy it again from the card');
  // A file that was cut still promises what it lost.
  const promised = Number(video.nb_frames ?? frames);
  if (frames < promised) throw bad(`breaks off after ${frames} of ${promised} frames; copy it again from the card`);
  const turned = Math.abs(video.side_data_list?.find((d) => d.rotation !== undefined)?.rotation ?? 0) % 180 === 90;
  const said = Object.entries({ ...format?.tags, ...video.tags });
  const instant = (tag: RegExp) => {
    const ms = Date.parse(said.find(([name]) => tag.test(name))?.[1] ?? '');
    // A container without a clock counts from its own zero.
    return Number.isNaN(ms) || ms < FIRST_CLOCK_MS ? null : ms;
  };
  const startTimecode = streams.map((s) => s.tags?.timecode).find(Boolean) ?? format?.tags?.timecode ?? null;
  return {
    widthPx: turned ? video.height : video.width,
    heightPx: turned ? video.width : video.height,
    fps,
    frames,
    startTimecode,
    time: { statedMs: instant(/(^|\.)creationdate$/i), createdMs: instant(/^creation_time$/i) },
    signal: videoSignal(video),
    meaning: videoMeaning(video),
  };
}

/** One frame (0-based) as PNG, for looking at. @throws FileProblem when it does not decode */
export async function videoFrame(
  path: string,
  name: string,
  frame: number,
  fps: number,
  width?: number,
): Promise<Buffer> {
  const filter = width ? ['-vf', `scale=${width}:-2`] : [];
  return extracted(path, name, frame, fps, [...filter, '-f', 'image2pipe', '-c:v', 'png']);
}

/** Legal to legal, whatever the stream says: codes are only shifted up, and planes brought to one size; left to itself the scaler would change full range to legal. */
const PLATE_SCALE = 'scale=in_range=tv:out_range=tv:flags=bicubic+accurate_rnd+full_chroma_int+full_chroma_inp';

/**
 * One frame (0-based) for measuring: a PNG of 16 bits whose codes stand as the stream's do, in its own range, so that white and what is
 * above it stay where the recording has them. @throws FileProblem when it does not decode
 */
export async function videoPlate(path: string, name: string, frame: number): Promise<Buffer> {
  const { widthPx: width, heightPx: height, fps, signal } = await probeVideo(path, name);
  const format = signal.matrix ? 'yuv444p16le' : 'gbrp16le';
  const raw = await extracted(path, name, frame, fps, ['-vf', PLATE_SCALE, '-pix_fmt', format, '-f', 'rawvideo']);
  if (raw.length !== 6 * width * height) throw undecodable(name, frame);
  const planes = new Uint16Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.length));
  const codes = rgbCodes(planes, width * height, signal);
  return sharp(codes, { raw: { width, height, channels: 3 } })
    .toColourspace('rgb16')
    .png({ compressionLevel: 3 })
    .toBuffer();
}

const undecodable = (name: string, frame: number) =>
  new FileProblem('damaged-image', name, `frame ${frame} does not decode; copy the file again from the card`);

async function extracted(path: string, name: string, frame: number, fps: number, how: string[]): Promise<Buffer> {
  // Half a frame early, so that rounding never lands on the next one.
  const at = Math.max(0, (frame - 0.5) / fps).toFixed(6);
  try {
    const { stdout } = await run('ffmpeg', ['-v', 'error', '-ss', at, '-i', path, '-frames:v', '1', ...how, '-'], {
      timeout: 60000,
      maxBuffer: 1 << 30,
      encoding: 'buffer',
    });
    if (stdout.length === 0) throw new Error('empty');
    return stdout;
  } catch {
    throw undecodable(name, frame);
  }
}
