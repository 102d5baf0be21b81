// What a worker thread does: every task that it is handed.
import { runTask, type TaskMap } from './tasks';

export default ({ task, input }: { task: keyof TaskMap; input: never }) => runTask(task, input);
