/** One JSON object on stdout with `--json`, else one aligned line a value. */
export function printResult(result: Record<string, unknown>, json: boolean): void {
  if (json) {
    process.stdout.write(`${JSON.stringify(result)}\n`);
    return;
  }
  for (const [key, value] of Object.entries(flatten(result)))
    process.stdout.write(`${key.padEnd(28)} ${format(value)}\n`);
}

function format(value: unknown): string {
  return typeof value === 'number' && !Number.isInteger(value)
    ? Number(value.toPrecision(7)).toString()
    : String(value);
}

function flatten(value: Record<string, unknown>, prefix = ''): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const [key, v] of Object.entries(value)) {
    if (typeof v === 'object' && v !== null && !Array.isArray(v))
      Object.assign(out, flatten(v as Record<string, unknown>, `${prefix}${key}.`));
    else out[`${prefix}${key}`] = Array.isArray(v) ? JSON.stringify(v) : v;
  }
  return out;
}

/** Messages go to stderr, so that stdout stays machine-readable. */
export function say(line: string): void {
  process.stderr.write(`${line}\n`);
}
