import fs from 'node:fs';
import { fileURLToPath } from 'node:url';
import { apiFiles } from './apiDocs';

for (const [name, text] of apiFiles())
  fs.writeFileSync(fileURLToPath(new URL(`../docs/${name}`, import.meta.url)), text);
