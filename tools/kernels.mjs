// Compiles packages/core/kernels to WebAssembly and writes it as a TypeScript module, so that core needs neither files nor a build. With --check: says whether what is committed is what the source gives.
import fs from 'node:fs';
import path from 'node:path';
import asc from 'assemblyscript/asc';
import { root } from './setup/modules.mjs';

const SOURCE = 'packages/core/kernels/merge.ts';
const TARGET = path.join(root, 'packages/core/src/merge/kernelBytes.ts');
const BYTES_A_LINE = 48;

let wasm = null;
const { error, stderr } = await asc.main(
  [
    SOURCE,
    '--outFile',
    'merge.wasm',
    '-O3',
    '--converge',
    '--noAssert',
    '--runtime',
    'stub',
    '--enable',
    'simd',
    '--memoryBase',
    '16',
    '--use',
    'abort=',
  ],
  {
    readFile: (name) => (fs.existsSync(path.join(root, name)) ? fs.readFileSync(path.join(root, name), 'utf8') : null),
    writeFile: (name, contents) => {
      if (name === 'merge.wasm') wasm = contents;
    },
    listFiles: () => [],
  },
);
if (error || !wasm) {
  console.error(String(stderr), error);
  process.exit(1);
}
const lines = [];
for (let at = 0; at < wasm.length; at += BYTES_A_LINE)
  lines.push(`  ${[...wasm.subarray(at, at + BYTES_A_LINE)].join(', ')},`);
const text = `// Written by tools/kernels.mjs from ${SOURCE}; do not edit.\nexport const KERNEL_BYTES = new Uint8Array([\n${lines.join('\n')}\n]);\n`;
if (process.argv.includes('--check')) {
  if (fs.existsSync(TARGET) && fs.readFileSync(TARGET, 'utf8') === text) process.exit(0);
  console.error(`${path.relative(root, TARGET)} is not what ${SOURCE} gives: run npm run kernels`);
  process.exit(1);
}
fs.writeFileSync(TARGET, text);
console.log(`${wasm.length} bytes of WebAssembly`);
