// npm test: all set-up, then every test; ends with "N passed, N failed".
import { spawn } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { ensureDebian } from './setup/debian.mjs';
import { failuresOfJest, failuresOfPlaywright, unsteadyOfPlaywright } from './setup/failures.mjs';
import { ensureModules, root } from './setup/modules.mjs';
import { dataHome, freePort, startPostgres } from './setup/postgres.mjs';
import { programs } from './setup/program.mjs';
import { startServices } from './setup/services.mjs';
import { webFolder } from './setup/web.mjs';

const step = (text) => console.log(`\n== ${text}`);
/** Short, so that no test waits long for a sender that is silent. */
const SILENT_MS = '3000';
/** Wider panoramas are written strip by strip; the tests build none that is wider but to see that. */
const WHOLE_PX = '2048';
const totals = { passed: 0, failed: 0 };
const failures = [];
const unsteady = [];
const work = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-test-'));
// Decoders run as somebody without rights.
fs.chmodSync(work, 0o755);
const only = process.argv.slice(2);
const wants = (name) => only.length === 0 || only.includes(name);

function count(passed, failed) {
  totals.passed += passed;
  totals.failed += failed;
}

/** A suite that ended without saying how. */
function noReport(name) {
  count(0, 1);
  failures.push({ name, said: 'ended without a report' });
}

/** Runs a command aside; what it says is heard when it ends. */
function aside(name, command, args, env = process.env) {
  const run = spawn(command, args, { cwd: root, env, stdio: ['ignore', 'pipe', 'pipe'] });
  let said = '';
  run.stdout.on('data', (text) => (said += text));
  run.stderr.on('data', (text) => (said += text));
  return new Promise((resolve) =>
    run.once('close', (status) => {
      step(`${name}: ${status === 0 ? 'good' : 'failed'}`);
      process.stdout.write(said);
      resolve({ status, said });
    }),
  );
}

/** A command below everything else. */
const low = (...command) => ['nice', ['-n', '19', ...command]];

/** Runs what needs neither database nor browser side by side. */
async function checks(list) {
  await Promise.all(
    list.map(async ([name, command, args]) => {
      const { status, said } = await aside(name, command, args);
      if (status !== 0) failures.push({ name, said: said.trimEnd().split('\n').slice(-25).join('\n') });
      count(status === 0 ? 1 : 0, status === 0 ? 0 : 1);
    }),
  );
}

/** Unit tests, below everything else. */
async function jest() {
  const report = path.join(work, 'jest.json');
  await aside('Unit tests', ...low('npx', 'jest', '--maxWorkers=2', '--json', `--outputFile=${report}`), {
    ...process.env,
    NODE_OPTIONS: '--max-old-space-size=6144',
  });
  if (!fs.existsSync(report)) return noReport('Unit tests');
  const result = JSON.parse(fs.readFileSync(report, 'utf8'));
  count(result.numPassedTests, result.numFailedTests + result.numRuntimeErrorTestSuites);
  failures.push(...failuresOfJest(result));
}

/** Browser or API tests of some projects against a server and a demo database of their own. */
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
      wholePx: WHOLE_PX,
      say: (text) => ends.push(text),
    });
    step(title);
    const report = path.join(work, `${database}.json`);
    const projectsOf = projects.flatMap((p) => ['--project', p]);
    const run = spawn('npx', ['playwright', 'test', '--config', 'e2e/playwright.config.ts', ...projectsOf], {
      cwd: root,
      stdio: 'inherit',
      env: {
        ...process.env,
        TAWNY_BASE: services.base,
        TAWNY_E2E_DATABASE: postgres.url,
        TAWNY_E2E_FILES: filesFolder,
        TAWNY_E2E_PROGRAMS: programs(),
        TAWNY_E2E_SERVER: String(services.server.pid),
        TAWNY_SILENT_MS: SILENT_MS,
        TAWNY_WHOLE_PX: WHOLE_PX,
        TAWNY_E2E_REPORT: report,
        TAWNY_E2E_OUT: path.join(work, `e2e-${database}`),
      },
    });
    await new Promise((resolve) => run.once('close', resolve));
    if (!fs.existsSync(report)) noReport(title);
    else {
      const result = JSON.parse(fs.readFileSync(report, 'utf8'));
      const { stats } = result;
      // A test that did not run because an earlier one failed has not passed.
      count(stats.expected + stats.flaky, stats.unexpected + stats.skipped);
      failures.push(...failuresOfPlaywright(result));
      unsteady.push(...unsteadyOfPlaywright(result));
    }
  } finally {
    await services?.stop();
    postgres.stop();
    failures.push(...ends.map((said) => ({ name: `Services of ${title}`, said })));
    count(0, ends.length);
  }
}

// Long on a fresh machine, and nothing before the unit tests and the databases asks for it.
const debian = ensureDebian([
  'postgresql',
  'ffmpeg',
  'libraw-bin',
  'chromium-headless-shell',
  'openexr',
  'openimageio-tools',
  'libimage-exiftool-perl',
  'python3-pyopencolorio',
]);
await ensureModules();
const e2eWanted = wants('e2e') || wants('day');
// On what the interface's building and the browser tests leave of the machine.
const meanwhile = (async () => {
  await checks([
    ...(wants('types') ? [['Types', ...low('npm', 'run', '-s', 'typecheck')]] : []),
    ...(wants('lint')
      ? [
          ['Lint', ...low('npm', 'run', '-s', 'lint')],
          ['Format', ...low('npm', 'run', '-s', 'format:check')],
          ['Kernels as their source says', ...low('node', 'tools/kernels.mjs', '--check')],
        ]
      : []),
  ]);
  await debian;
  if (wants('unit')) await jest();
})();
if (e2eWanted) {
  step('The interface');
  await checks([['The interface is built', 'node', ['tools/setup/buildWeb.mjs']]]);
}
await debian;
const e2e = (...args) =>
  endToEnd(...args).catch((error) => {
    failures.push({ name: args[0], said: String(error?.stack ?? error) });
    count(0, 1);
  });
// Unit tests take what both leave, and go on when they have ended. The browser tests take longest: the demo day goes beside them.
await Promise.all([
  wants('e2e') && e2e('Browser tests', 'test', ['phone', 'wide']),
  (async () => {
    if (wants('e2e')) await e2e('API tests', 'testapi', ['api']);
    if (e2eWanted) await e2e('The demo day', 'testday', ['day']);
  })(),
  meanwhile,
]);
fs.rmSync(work, { recursive: true, force: true });
for (const [title, list] of [
  ['What passed at the second try only', unsteady],
  ['What failed', failures],
]) {
  if (list.length > 0) step(title);
  for (const { name, said } of list) console.log(`\n${name}\n${said}`);
}
console.log(`\n${totals.passed} passed, ${totals.failed} failed`);
process.exit(totals.failed === 0 && totals.passed > 0 ? 0 : 1);
