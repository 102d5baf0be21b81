// npm test: all set-up, then every test; ends with "N passed, N failed".
import { spawn, spawnSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { ensureDebian } from './setup/debian.mjs';
import { ensureModules, root } from './setup/modules.mjs';
import { dataHome, freePort, startPostgres } from './setup/postgres.mjs';
import { startServices } from './setup/services.mjs';
import { webFolder } from './setup/web.mjs';

const step = (text) => console.log(`\n== ${text}`);
/** Short, so that no test waits long for a sender that is silent. */
const SILENT_MS = '3000';
const totals = { passed: 0, failed: 0 };
const work = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-test-'));
// Decoders run as somebody without rights.
fs.chmodSync(work, 0o755);
const only = process.argv.slice(2);
const wants = (name) => only.length === 0 || only.includes(name);

function count(passed, failed) {
  totals.passed += passed;
  totals.failed += failed;
}

/** Runs what needs neither database nor browser side by side; each is heard when it ends. */
async function checks(list) {
  await Promise.all(
    list.map(([name, command, args]) => {
      const run = spawn(command, args, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'] });
      let said = '';
      run.stdout.on('data', (text) => (said += text));
      run.stderr.on('data', (text) => (said += text));
      return new Promise((resolve) =>
        run.once('close', (status) => {
          step(`${name}: ${status === 0 ? 'good' : 'failed'}`);
          process.stdout.write(said);
          count(status === 0 ? 1 : 0, status === 0 ? 0 : 1);
          resolve();
        }),
      );
    }),
  );
}

function jest() {
  step('Unit tests');
  const report = path.join(work, 'jest.json');
  // Half of the unit tests keep one core busy, half two: two at a time end soonest.
  spawnSync('npx', ['jest', '--maxWorkers=2', '--json', `--outputFile=${report}`], {
    cwd: root,
    stdio: ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, NODE_OPTIONS: '--max-old-space-size=6144' },
  });
  if (!fs.existsSync(report)) return count(0, 1);
  const result = JSON.parse(fs.readFileSync(report, 'utf8'));
  count(result.numPassedTests, result.numFailedTests + result.numRuntimeErrorTestSuites);
}

/** Browser and API tests of some projects against a server and a demo database of their own. */
async function endToEnd(title, database, projects) {
  step(`Database, server and worker for ${title}`);
  fs.rmSync(path.join(dataHome(), database), { recursive: true, force: true });
  const postgres = await startPostgres(database, { durable: false });
  const filesFolder = path.join(work, `files-${database}`);
  fs.mkdirSync(filesFolder);
  let services;
  // Nothing may end while it is tested, though it would be started again.
  const ends = [];
  try {
    services = await startServices({
      databaseUrl: postgres.url,
      filesFolder,
      port: await freePort(),
      webFolder,
      demoDate: '2026-10-14',
      logLevel: 'error',
      silentMs: SILENT_MS,
      say: (text) => ends.push(text),
    });
    step(title);
    const report = path.join(work, `${database}.json`);
    spawnSync(
      'npx',
      ['playwright', 'test', '--config', 'e2e/playwright.config.ts', ...projects.flatMap((p) => ['--project', p])],
      {
        cwd: root,
        stdio: 'inherit',
        env: {
          ...process.env,
          TAWNY_BASE: services.base,
          TAWNY_E2E_DATABASE: postgres.url,
          TAWNY_E2E_FILES: filesFolder,
          TAWNY_E2E_SERVER: String(services.server.pid),
          TAWNY_SILENT_MS: SILENT_MS,
          TAWNY_E2E_REPORT: report,
          TAWNY_E2E_OUT: path.join(work, 'e2e'),
        },
      },
    );
    if (!fs.existsSync(report)) count(0, 1);
    else {
      const { stats } = JSON.parse(fs.readFileSync(report, 'utf8'));
      // A test that did not run because an earlier one failed has not passed.
      count(stats.expected + stats.flaky, stats.unexpected + stats.skipped);
    }
  } finally {
    await services?.stop();
    postgres.stop();
    for (const text of ends) console.error(text);
    count(0, ends.length);
  }
}

ensureDebian([
  'postgresql',
  'ffmpeg',
  'libraw-bin',
  'chromium',
  'openexr',
  'openimageio-tools',
  'libimage-exiftool-perl',
  'python3-pyopencolorio',
]);
ensureModules();
const npm = (name) => ['npm', ['run', '-s', name]];
const e2eWanted = wants('e2e') || wants('day');
step('Types, lint, format, kernels and the interface, side by side');
await checks([
  ...(wants('types') ? [['Types', ...npm('typecheck')]] : []),
  ...(wants('lint')
    ? [
        ['Lint', ...npm('lint')],
        ['Format', ...npm('format:check')],
        ['Kernels as their source says', 'node', ['tools/kernels.mjs', '--check']],
      ]
    : []),
  ...(e2eWanted ? [['The interface is built', 'node', ['tools/setup/buildWeb.mjs']]] : []),
]);
if (wants('unit')) jest();
const e2e = (...args) =>
  endToEnd(...args).catch((error) => {
    console.error(error);
    count(0, 1);
  });
if (wants('e2e')) await e2e('API and browser tests', 'test', ['api', 'phone', 'wide']);
if (wants('e2e') || wants('day')) await e2e('The demo day', 'testday', ['day']);
fs.rmSync(work, { recursive: true, force: true });
console.log(`\n${totals.passed} passed, ${totals.failed} failed`);
process.exit(totals.failed === 0 && totals.passed > 0 ? 0 : 1);
