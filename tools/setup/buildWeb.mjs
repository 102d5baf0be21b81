// Builds the interface when its sources changed, as a process of its own.
import { ensureWeb } from './web.mjs';

ensureWeb();
