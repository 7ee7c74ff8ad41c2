// The formatter keeps code within its width, but not comments: this keeps them there. Prints each that is longer.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';

const MOST = 110;
const files = execFileSync('git', ['ls-files', '*.ts', '*.tsx', ':!core/kernels'], { encoding: 'utf8' });
const found = files
  .trim()
  .split('\n')
  .flatMap((file) =>
    readFileSync(file, 'utf8')
      .split('\n')
      .map((line, i) => ({ line, at: `${file}:${i + 1}` })),
  )
  // An address cannot be broken.
  .filter(({ line }) => line.length > MOST && /^\s*(\/\/|\/?\*|\{\/\*)/.test(line) && !line.includes('://'));
for (const { at, line } of found)
  console.error(`${at}: a comment of ${line.length} characters, ${MOST} at most`);
process.exitCode = found.length ? 1 : 0;
