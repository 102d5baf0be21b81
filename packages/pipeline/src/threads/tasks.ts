import { exposeViewTask, type ExposeViewInput } from '../simulate/exposeView';
import { renderStripTask, type RenderStripInput } from '../simulate/renderStrip';
import { mergeViewTask, type MergeViewInput, type MergeViewOutput } from '../build/mergeView';
import { composeStripTask, type ComposeStripInput } from '../build/composeStrip';
import type { SimulatedFile } from '../simulate/exposeView';

/** Every task that a worker thread can do. */
export interface TaskMap {
  renderStrip: { input: RenderStripInput; output: void };
  exposeView: { input: ExposeViewInput; output: SimulatedFile[] };
  mergeView: { input: MergeViewInput; output: MergeViewOutput };
  composeStrip: { input: ComposeStripInput; output: void };
}

const TASKS: { [K in keyof TaskMap]: (input: TaskMap[K]['input']) => TaskMap[K]['output'] | Promise<TaskMap[K]['output']> } = {
  renderStrip: renderStripTask,
  exposeView: exposeViewTask,
  mergeView: mergeViewTask,
  composeStrip: composeStripTask,
};

export function runTask<K extends keyof TaskMap>(task: K, input: TaskMap[K]['input']) {
  return TASKS[task](input);
}
