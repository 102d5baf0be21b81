import { createHash, webcrypto } from 'node:crypto';
import type { Frame, UploadResult } from '@tawny/contract';
import { CLIENT_HEADER } from '@tawny/contract/client';
import { sendFrames, type Sending } from '../../data/sendFrames';

/** A server and a connection, as the browser sees them: `fetch` for questions, `XMLHttpRequest` for files. */
class Stage {
  readonly there = new Set<string>();
  readonly sent: string[] = [];
  readonly asked: string[][] = [];
  /** Called for every upload: what happens to it. */
  fate: (name: string, attempt: number) => 'arrives' | 'breaks' | { status: number; detail: string } = () => 'arrives';
  private readonly attempts = new Map<string, number>();

  attempt(name: string): number {
    const n = (this.attempts.get(name) ?? 0) + 1;
    this.attempts.set(name, n);
    return n;
  }
}

const hashOf = (text: string) => createHash('sha256').update(text).digest('hex');

/** A frame as the server answers with it. */
const frame = (name: string, hash: string): Frame => ({
  id: webcrypto.randomUUID(),
  roundId: webcrypto.randomUUID(),
  name,
  hash,
  widthPx: 6,
  heightPx: 4,
  fileDecoding: null,
  fileDecodingSource: '',
  bits: 8,
  shutterS: 0.01,
  fNumber: 8,
  iso: 100,
  exposure: 0.1,
  takenAt: null,
  zoneFrom: null,
  look: null,
  headingDeg: null,
  tiltDeg: null,
  rollDeg: null,
  compassDeg: null,
  compassNorth: null,
});

/** A file as far as sending asks of it. */
const file = (name: string, text = name) =>
  ({
    name,
    size: text.length,
    arrayBuffer: async () => new TextEncoder().encode(text).buffer,
    text,
  }) as unknown as File;

function open(stage: Stage, secure = true): void {
  Object.defineProperty(globalThis, 'crypto', {
    configurable: true,
    value: secure ? webcrypto : { randomUUID: () => webcrypto.randomUUID() },
  });
  globalThis.fetch = (async (_url: string, init: { body: string }) => {
    const { hashes } = JSON.parse(init.body) as { hashes: string[] };
    stage.asked.push(hashes);
    return {
      ok: true,
      status: 200,
      text: async () => JSON.stringify({ known: hashes.filter((h) => stage.there.has(h)) }),
    };
  }) as never;
  globalThis.FormData = class {
    readonly parts: { name: string; text: string }[] = [];
    append(_field: string, part: { text: string }, name: string) {
      this.parts.push({ name, text: part.text });
    }
  } as never;
  globalThis.XMLHttpRequest = class {
    upload: { onprogress?: (e: { lengthComputable: boolean; loaded: number; total: number }) => void } = {};
    onload?: () => void;
    onerror?: () => void;
    status = 0;
    responseText = '';
    private readonly headers = new Map<string, string>();
    open() {}
    setRequestHeader(name: string, value: string) {
      this.headers.set(name, value);
    }
    send({ parts: [part] }: { parts: { name: string; text: string }[] }) {
      setTimeout(() => {
        // As the server does: a write that does not say what program sends it is nobody's.
        if (!this.headers.has(CLIENT_HEADER)) throw new Error('a write without its header');
        stage.sent.push(part.name);
        const fate = stage.fate(part.name, stage.attempt(part.name));
        this.upload.onprogress?.({ lengthComputable: true, loaded: 1, total: 2 });
        if (fate === 'breaks') return this.onerror?.();
        const known = stage.there.has(hashOf(part.text));
        const answer: UploadResult = {
          accepted: known ? [] : [frame(part.name, hashOf(part.text))],
          duplicates: known ? [part.name] : [],
          problems: [],
        };
        if (fate === 'arrives') stage.there.add(hashOf(part.text));
        this.status = fate === 'arrives' ? 201 : fate.status;
        this.responseText = JSON.stringify(
          fate === 'arrives'
            ? answer
            : { type: 'about:blank', title: 'No', status: fate.status, code: 'refused', detail: fate.detail },
        );
        this.onload?.();
      }, 0);
    }
  } as never;
}

/** Waits go by at once. */
async function hurried<T>(work: Promise<T>): Promise<T> {
  let done = false;
  const ended = work.finally(() => {
    done = true;
  });
  ended.catch(() => undefined);
  while (!done) await jest.advanceTimersByTimeAsync(1000);
  return ended;
}

beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

const send = (stage: Stage, files: File[], heard: Sending[] = []) => {
  open(stage);
  return hurried(sendFrames('HERN', 'round', files, (s) => heard.push(s)));
};

describe('frames on their way', () => {
  test('all arrive, each on its own, and progress ends at the whole', async () => {
    const stage = new Stage();
    const heard: Sending[] = [];
    const result = await send(
      stage,
      ['a', 'b', 'c', 'd', 'e'].map((n) => file(n)),
      heard,
    );
    expect(result.accepted.map((f) => f.name).sort()).toEqual(['a', 'b', 'c', 'd', 'e']);
    expect(stage.sent).toHaveLength(5);
    for (let i = 1; i < heard.length; i++) expect(heard[i].fraction).toBeGreaterThanOrEqual(heard[i - 1].fraction);
    expect(heard.some((h) => h.waiting)).toBe(false);
  });

  test('what is there is not sent, nor the same picture twice', async () => {
    const stage = new Stage();
    stage.there.add(hashOf('old'));
    const result = await send(stage, [file('was here', 'old'), file('new'), file('copy of new', 'new')]);
    expect(stage.sent).toEqual(['new']);
    expect(result.accepted.map((f) => f.name)).toEqual(['new']);
    expect(result.duplicates.sort()).toEqual(['copy of new', 'was here']);
  });

  test('what breaks off is sent again, and said to wait meanwhile', async () => {
    const stage = new Stage();
    stage.fate = (name, attempt) => (name === 'b' && attempt < 4 ? 'breaks' : 'arrives');
    const heard: Sending[] = [];
    const result = await send(
      stage,
      ['a', 'b', 'c'].map((n) => file(n)),
      heard,
    );
    expect(stage.sent.filter((n) => n === 'b')).toHaveLength(4);
    expect(result.accepted).toHaveLength(3);
    expect(heard.some((h) => h.waiting)).toBe(true);
    expect(heard[heard.length - 1].waiting).toBe(false);
  });

  test('a server that is just starting is waited for', async () => {
    const stage = new Stage();
    stage.fate = (_name, attempt) => (attempt === 1 ? { status: 503, detail: 'starting' } : 'arrives');
    expect((await send(stage, [file('a')])).accepted).toHaveLength(1);
  });

  test('a refused file is named and the rest goes on', async () => {
    const stage = new Stage();
    stage.fate = (name) => (name === 'bad' ? { status: 422, detail: 'bad: is no picture' } : 'arrives');
    const result = await send(stage, [file('good'), file('bad'), file('fine')]);
    expect(result.accepted).toHaveLength(2);
    expect(result.problems).toEqual([{ file: 'bad', code: 'refused', message: 'bad: is no picture' }]);
    expect(stage.sent.filter((n) => n === 'bad')).toHaveLength(1);
  });

  test('when nothing at all is taken in that is an error with all the reasons', async () => {
    const stage = new Stage();
    stage.fate = (name) => ({ status: 422, detail: `${name}: is no picture` });
    await expect(send(stage, [file('x'), file('y')])).rejects.toThrow(
      /x: is no picture; y: is no picture|y: is no picture; x: is no picture/,
    );
  });

  test('a connection that does not come back ends it, begins nothing new, and says nothing after that', async () => {
    const stage = new Stage();
    stage.fate = () => 'breaks';
    const heard: Sending[] = [];
    await expect(
      send(
        stage,
        Array.from({ length: 12 }, (_, i) => file(`f${i}`)),
        heard,
      ),
    ).rejects.toThrow('broke off');
    // Three at once, six attempts each; the other nine were never begun.
    expect(new Set(stage.sent).size).toBe(3);
    expect(stage.sent).toHaveLength(18);
    const told = heard.length;
    await jest.advanceTimersByTimeAsync(60000);
    expect(heard).toHaveLength(told);
  });

  test('a round that is gone is an error at once', async () => {
    const stage = new Stage();
    stage.fate = () => ({ status: 404, detail: 'There is no such round' });
    await expect(send(stage, [file('a')])).rejects.toThrow('There is no such round');
    expect(stage.sent).toEqual(['a']);
  });

  test('the card is sent on tomorrow: only what is missing travels', async () => {
    const stage = new Stage();
    const card = Array.from({ length: 8 }, (_, i) => file(`f${i}`));
    stage.fate = (name) => (Number(name.slice(1)) < 3 ? 'arrives' : 'breaks');
    await expect(send(stage, card)).rejects.toThrow('broke off');
    const arrived = stage.there.size;
    expect(arrived).toBe(3);
    stage.sent.length = 0;
    stage.fate = () => 'arrives';
    const result = await send(stage, card);
    expect(stage.sent).toHaveLength(8 - arrived);
    expect(result.duplicates).toHaveLength(arrived);
  });

  test('questions go out in parcels that the server takes', async () => {
    const stage = new Stage();
    const many = Array.from({ length: 1100 }, (_, i) => file(`f${i}`));
    many.forEach((f) => stage.there.add(hashOf(f.name)));
    expect((await send(stage, many)).duplicates).toHaveLength(1100);
    expect(stage.asked.map((a) => a.length)).toEqual([500, 500, 100]);
    expect(stage.sent).toEqual([]);
  });

  test('where the browser does not hash, everything is sent and the server tells the doubles', async () => {
    const stage = new Stage();
    stage.there.add(hashOf('old'));
    open(stage, false);
    const result = await hurried(sendFrames('HERN', 'round', [file('was here', 'old'), file('new')], () => undefined));
    expect(stage.asked).toEqual([]);
    expect(result).toMatchObject({ duplicates: ['was here'], accepted: [{ name: 'new' }] });
  });
});
