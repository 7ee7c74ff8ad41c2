// Compiles the kernels (AssemblyScript) to WebAssembly and writes each as a module that needs no file at run
// time.
//   node tools/kernels.mjs
// Nothing is done where the output is newer than its source. The output is never committed.
import { mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = resolve(dirname(fileURLToPath(import.meta.url)), '..');
const KERNELS = [
  { source: 'core/kernels/reader.ts', output: 'core/src/reading/kernel.generated.ts', name: 'READER_MODULE' },
  {
    source: 'core/kernels/encoder.ts',
    output: 'core/src/columns/kernel.generated.ts',
    name: 'ENCODER_MODULE',
  },
  {
    source: 'core/kernels/decoder.ts',
    output: 'core/src/columns/encodings/decoder.generated.ts',
    name: 'DECODER_MODULE',
  },
  {
    source: 'core/kernels/combiner.ts',
    output: 'core/src/columns/combiner.generated.ts',
    name: 'COMBINER_MODULE',
  },
];

const changedAt = (file) => statSync(resolve(root, file), { throwIfNoEntry: false })?.mtimeMs ?? 0;

for (const { source, output, name } of KERNELS) {
  // What kernels have in common lies in this file.
  const sources = [source, 'core/kernels/reserve.ts', 'tools/kernels.mjs'];
  if (changedAt(output) > Math.max(...sources.map(changedAt))) continue;
  const { default: asc } = await import('assemblyscript/asc');
  let module;
  const { error, stderr } = await asc.main(
    [source, '--outFile', 'out.wasm', '-O3', '--noAssert', '--runtime', 'minimal', '--enable', 'simd'],
    {
      readFile: (file, base) => {
        try {
          return readFileSync(resolve(base ?? root, file), 'utf8');
        } catch {
          return null; // the compiler tries several names
        }
      },
      writeFile: (_file, contents) => {
        module = contents;
      },
      listFiles: () => [],
    },
  );
  if (error || !module) throw new Error(`${source} could not be compiled:\n${stderr.toString()}`);
  mkdirSync(dirname(resolve(root, output)), { recursive: true });
  writeFileSync(
    resolve(root, output),
    `// Compiled from ${source} by tools/kernels.mjs.\nexport const ${name} =\n  '${Buffer.from(module).toString('base64')}';\n`,
  );
}
