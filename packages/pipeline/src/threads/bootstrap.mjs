// Entry of a worker thread where the sources run as they are: teaches it TypeScript first.
import { register } from 'tsx/esm/api';

register();
export default (await import('./thread.ts')).default;
