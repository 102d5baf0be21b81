import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { markdown } from './accuracy/table';
import { commitHere } from './commit';
import { replaceSections } from './replaceSections';

describe('the commit that figures speak of', () => {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'tawny-commit-'));
  const git = (...args: string[]) =>
    execFileSync('git', ['-c', 'user.name=heron', '-c', 'user.email=heron@localhost', ...args], {
      cwd: folder,
      encoding: 'utf8',
    }).trim();
  const write = (name: string, text: string) => fs.writeFileSync(path.join(folder, name), text);
  let head: string;
  beforeAll(() => {
    git('init', '--quiet');
    ['docs', 'packages'].forEach((name) => fs.mkdirSync(path.join(folder, name)));
    write('packages/sum.ts', 'one');
    write('docs/accuracy.md', 'one');
    git('add', '.');
    git('commit', '--quiet', '-m', 'one');
    head = git('rev-parse', '--short', 'HEAD');
  });
  afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

  test('is the last one, also while the table itself is written anew and from a folder below', () => {
    write('docs/accuracy.md', 'two');
    write('notes.txt', 'tracked by nobody');
    expect(commitHere(folder)).toBe(head);
    expect(commitHere(path.join(folder, 'docs'))).toBe(head);
  });

  test('says so when what computes differs from it, saved for the next commit or not', () => {
    write('packages/sum.ts', 'two');
    expect(commitHere(folder)).toBe(`${head} with changes`);
    expect(commitHere(path.join(folder, 'docs'))).toBe(`${head} with changes`);
    git('add', 'packages');
    expect(commitHere(folder)).toBe(`${head} with changes`);
  });
});

test('sections that are counted at several times keep each its commit', () => {
  const row = (measured: string) => ({ what: 'north', bound: '0.1 deg', measured, holds: null });
  const section = (title: string, how: string, measured: string) => ({ title, how, rows: [row(measured)] });
  const first = markdown([section('North', 'By the sun.', '0.01'), section('Sun position', '', '0.003')], 'aaa1111');
  const second = replaceSections(first, markdown([section('North', 'By the sun.', '0.02')], 'bbb2222'));
  expect(second).toContain('## North\n\nBy the sun. Figures of bbb2222.\n');
  expect(second).toContain('| north | 0.1 deg | 0.02 | - |');
  expect(second).toContain('## Sun position\n\nFigures of aaa1111.\n');
  expect(second).not.toContain('0.01');
});
