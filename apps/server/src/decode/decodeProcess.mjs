// Entry of a decoder where the sources run as they are: teaches it TypeScript first.
import { register } from 'tsx/esm/api';

register();
await import('./process.ts');
