import { logDay } from './logDay';

const [base] = process.argv.slice(2);
if (!base) throw new Error('state the address of the server');
const say = (line: string) => process.stderr.write(`  demo day: ${line}\n`);
const open = await logDay(base, say);
say(`logged; left for you: ${open.map((g) => g.what).join('; ') || 'nothing'}`);
