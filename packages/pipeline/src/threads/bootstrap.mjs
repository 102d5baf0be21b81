// Entry of a worker thread: teaches it TypeScript, then hands every task to tasks.ts.
import { register } from 'tsx/esm/api';

register();
const tasks = await import('./tasks.ts');

export default ({ task, input }) => tasks.runTask(task, input);
