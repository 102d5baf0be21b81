import { execFileSync } from 'node:child_process';

/**
 * The commit that figures speak of, as a table states it: says so when tracked files outside `docs` differ from it.
 * @param from a folder of the repository
 */
export function commitHere(from = process.cwd()): string {
  const git = (...args: string[]) => execFileSync('git', args, { cwd: from, encoding: 'utf8' }).trim();
  const changed = git('status', '--porcelain', '--untracked-files=no', '--', ':/', ':(top,exclude)docs') !== '';
  return `${git('rev-parse', '--short', 'HEAD')}${changed ? ' with changes' : ''}`;
}
