import { execFileSync } from 'node:child_process';
import path from 'node:path';

const root = path.resolve(__dirname, '..');

test('imports run one way', () => {
  const out = execFileSync(
    'npx',
    ['depcruise', '--config', '.dependency-cruiser.cjs', '--output-type', 'json', 'packages', 'apps'],
    { cwd: root, encoding: 'utf8', maxBuffer: 64 * 1024 * 1024 },
  );
  const { summary } = JSON.parse(out) as {
    summary: { violations: { rule: { name: string }; from: string; to: string }[]; totalCruised: number };
  };
  expect(summary.violations.map((v) => `${v.rule.name}: ${v.from} -> ${v.to}`)).toEqual([]);
  expect(summary.totalCruised).toBeGreaterThan(100);
});
