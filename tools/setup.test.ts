import { execFile } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';

const run = promisify(execFile);
const SETUP = path.join(__dirname, 'setup');

/** Runs a program that uses the set-up scripts, which are no TypeScript; what it prints comes back. */
async function program(text: string, env: Record<string, string> = {}) {
  const lines = text.replace(/'@(\w+)'/g, (_, name: string) => `'${path.join(SETUP, `${name}.mjs`)}'`);
  return run(process.execPath, ['--input-type=module', '-e', lines], { env: { ...process.env, ...env } }).then(
    ({ stdout, stderr }) => ({ code: 0, out: stdout.trim(), said: stderr.trim() }),
    (e: { code: number; stdout: string; stderr: string }) => ({
      code: e.code,
      out: e.stdout.trim(),
      said: e.stderr.trim(),
    }),
  );
}

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-setup-'));
fs.chmodSync(folder, 0o755);
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

describe('work that one process at a time does', () => {
  const inTurn = (file: string, log: string) =>
    program(`
      import fs from 'node:fs';
      import { alone } from '@alone';
      const note = (what) => fs.appendFileSync('${log}', what + process.pid + '\\n');
      await alone('${file}', async () => {
        note('+');
        await new Promise((r) => setTimeout(r, 400));
        note('-');
      }, (text) => console.log(text));
    `);

  test('three at once do it one after the other, and those that wait say so', async () => {
    const [file, log] = ['lock', 'log'].map((name) => path.join(folder, `turns-${name}`));
    const runs = await Promise.all([1, 2, 3].map(() => inTurn(file, log)));
    expect(runs.map((r) => r.code)).toEqual([0, 0, 0]);
    const notes = fs.readFileSync(log, 'utf8').trim().split('\n');
    expect(notes).toHaveLength(6);
    for (const k of [0, 2, 4]) expect([notes[k][0], notes[k + 1]]).toEqual(['+', `-${notes[k].slice(1)}`]);
    expect(runs.filter((r) => /^Waiting for process/.test(r.out)).length).toBeGreaterThanOrEqual(1);
    expect(fs.existsSync(file)).toBe(false);
  });

  test('what a process that was ended left behind is taken over; what fails leaves nothing behind', async () => {
    const file = path.join(folder, 'left');
    const ended = await program(`import { thisProcess } from '@holder'; console.log(thisProcess())`);
    fs.writeFileSync(file, ended.out);
    expect((await inTurn(file, path.join(folder, 'left-log'))).out).toBe('');
    expect(fs.existsSync(file)).toBe(false);
    const failed = await program(`
      import { alone } from '@alone';
      await alone('${file}', () => Promise.reject(new Error('no room')), () => undefined).catch((e) => console.log(e.message));
    `);
    expect([failed.out, fs.existsSync(file)]).toEqual(['no room', false]);
  });
});

describe('processes that are looked after', () => {
  const patience = '{ firstMs: 20, longestMs: 60, wellMs: 5000 }';

  test('one that ends is started again and said; the one that stays is the last', async () => {
    const { out } = await program(`
      import { spawn } from 'node:child_process';
      import { keepRunning } from '@supervise';
      let starts = 0;
      const said = [];
      const kept = keepRunning('trial', () => spawn(process.execPath, ['-e', ++starts < 4 ? 'process.exit(3)' : 'setInterval(() => {}, 1000)']),
        (text) => said.push(text), ${patience});
      while (starts < 4) await new Promise((r) => setTimeout(r, 20));
      await new Promise((r) => setTimeout(r, 300));
      const alive = !kept.ended;
      await kept.stop();
      console.log(JSON.stringify({ starts, alive, ended: kept.ended, said }));
    `);
    const { starts, alive, ended, said } = JSON.parse(out) as {
      starts: number;
      alive: boolean;
      ended: boolean;
      said: string[];
    };
    expect([starts, alive, ended]).toEqual([4, true, true]);
    expect(said).toHaveLength(3);
    // Each pause is twice the one before, up to the longest.
    expect(said.map((s) => Number(s.match(/again in ([\d.]+) s/)![1]))).toEqual([0.02, 0.04, 0.06]);
    expect(said[0]).toBe('The trial ended (code 3); it is started again in 0.02 s.');
  });

  test('one that always ends is given up after the eighth time, aloud', async () => {
    const { out } = await program(`
      import { spawn } from 'node:child_process';
      import { keepRunning } from '@supervise';
      let starts = 0;
      const said = [];
      const kept = keepRunning('trial', () => { starts++; return spawn(process.execPath, ['-e', 'process.kill(process.pid, "SIGKILL")']); },
        (text) => said.push(text), ${patience});
      const who = await kept.gaveUp;
      await new Promise((r) => setTimeout(r, 200));
      console.log(JSON.stringify({ starts, who, last: said.at(-1) }));
    `);
    expect(JSON.parse(out)).toEqual({
      starts: 8,
      who: 'trial',
      last: 'The trial ended 8 times in a row (SIGKILL) and is given up. Its messages are above.',
    });
  });

  test('stopped is stopped: nothing is started again, also in a pause', async () => {
    const { out } = await program(`
      import { spawn } from 'node:child_process';
      import { keepRunning } from '@supervise';
      let starts = 0;
      const kept = keepRunning('trial', () => { starts++; return spawn(process.execPath, ['-e', '0']); }, () => {}, { firstMs: 400, longestMs: 400, wellMs: 5000 });
      while (!kept.ended) await new Promise((r) => setTimeout(r, 10));
      await kept.stop();
      await new Promise((r) => setTimeout(r, 700));
      console.log(starts);
    `);
    expect(out).toBe('1');
  });
});

describe('the data folder', () => {
  const open = (at: string, older = 'undefined', env: Record<string, string> = {}) =>
    program(
      `import { openData } from '@data'; console.log(JSON.stringify(openData(${JSON.stringify(at)}, ${older})));`,
      env,
    );

  test('a new one gets a version and room for files; opening it again changes nothing', async () => {
    const at = path.join(folder, 'new');
    expect(JSON.parse((await open(at)).out)).toEqual({ files: path.join(at, 'files') });
    const version = fs.readFileSync(path.join(at, 'version.json'), 'utf8');
    expect(JSON.parse(version)).toEqual({ data: 1 });
    fs.writeFileSync(path.join(at, 'files', 'kept'), 'x');
    expect((await open(at)).code).toBe(0);
    expect(fs.readFileSync(path.join(at, 'version.json'), 'utf8')).toBe(version);
    expect(fs.existsSync(path.join(at, 'files', 'kept'))).toBe(true);
  });

  test('one that a newer version wrote, or that is damaged, is refused by name', async () => {
    const at = path.join(folder, 'newer');
    await open(at);
    fs.writeFileSync(path.join(at, 'version.json'), '{"data": 99}');
    const newer = await open(at);
    expect(newer.code).not.toBe(0);
    expect(newer.said).toContain(`${at} was written by a newer version (99; this one knows 1)`);
    fs.writeFileSync(path.join(at, 'version.json'), 'torn');
    expect((await open(at)).said).toContain('version.json is damaged');
  });

  test('what an older version hung on the path of the checkout is moved there once, and said', async () => {
    const home = path.join(folder, 'home');
    const env = { TAWNY_HOME: home };
    const { out: older } = await program(`import { dataHome } from '@data'; console.log(dataHome());`, env);
    fs.mkdirSync(path.join(older, 'demo', 'files'), { recursive: true });
    fs.writeFileSync(path.join(older, 'demo', 'files', 'a'), 'taken along');
    const at = path.join(folder, 'moved', 'demo');
    const first = await open(at, "'demo'", env);
    expect(first.said).toContain(`were moved from ${path.join(older, 'demo')} to ${at}`);
    expect(fs.readFileSync(path.join(at, 'files', 'a'), 'utf8')).toBe('taken along');
    expect(fs.existsSync(path.join(older, 'demo'))).toBe(false);
    expect((await open(at, "'demo'", env)).said).toBe('');
  });

  test('it is had by one process at a time; one that is gone has it no more', async () => {
    const at = path.join(folder, 'held');
    fs.mkdirSync(at);
    const take = `import { hold } from '@data'; hold(${JSON.stringify(at)});`;
    const held = await program(`
      import { spawn } from 'node:child_process';
      ${take}
      const other = spawn(process.execPath, ['--input-type=module', '-e', ${JSON.stringify(take)}], { stdio: ['ignore', 'inherit', 'pipe'] });
      let said = '';
      other.stderr.on('data', (d) => (said += d));
      other.on('exit', (code) => console.log(JSON.stringify({ code, named: said.includes('is in use by process ' + process.pid) })));
    `);
    expect(JSON.parse(held.out)).toEqual({ code: 1, named: true });
    // It let go when it ended; and one that was killed, or whose number somebody else has now, has nothing.
    expect((await program(take)).code).toBe(0);
    fs.writeFileSync(path.join(at, 'in-use.pid'), `${process.pid} 1`);
    expect((await program(take)).code).toBe(0);
  });
});

test('what failed is said with what it says, also a test that did not run and a suite that could not start', async () => {
  const { out } = await program(`
    import { failuresOfJest, failuresOfPlaywright, unsteadyOfPlaywright } from '@failures';
    const jest = { testResults: [
      { name: 'a.test.ts', status: 'failed', message: '', assertionResults: [
        { status: 'passed', fullName: 'good' }, { status: 'failed', fullName: 'bad', failureMessages: ['\\u001b[31mone\\u001b[39m'] } ] },
      { name: 'b.test.ts', status: 'failed', message: 'no such module', assertionResults: [] },
    ] };
    const spec = (title, status, errors = []) => ({ title, tests: [{ status, results: [{ errors: errors.map((message) => ({ message })) }] }] });
    const browser = { errors: [{ message: 'port taken' }], suites: [{ title: 'c.test.ts', specs: [spec('well', 'expected')],
      suites: [{ title: 'part', specs: [spec('ill', 'unexpected', ['two']), spec('after', 'skipped'), spec('again', 'flaky', ['three'])] }] }] };
    console.log(JSON.stringify([...failuresOfJest(jest), ...failuresOfPlaywright(browser), ...unsteadyOfPlaywright(browser)].map(({ name, said }) => [name, said])));
  `);
  expect(JSON.parse(out)).toEqual([
    ['bad', 'one'],
    ['b.test.ts', 'no such module'],
    ['c.test.ts › part › ill', 'two'],
    ['c.test.ts › part › after', 'did not run'],
    ['Browser tests', 'port taken'],
    ['c.test.ts › part › again', 'three'],
  ]);
});
