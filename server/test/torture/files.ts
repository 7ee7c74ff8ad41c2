import { gzipSync } from 'node:zlib';
import { parquetWriteBuffer } from 'hyparquet-writer';
import type { JobState, PreviewState } from '@crease/contract';
import { ask, faultIn, withServer } from './scratch.ts';
import type { Outcome, Seeded } from './seeded.ts';
import { seeded } from './seeded.ts';

// Files that are damaged in many ways: each is read, or refused with a code, in bounded time, and questions
// are answered meanwhile.

const READERS = { previewMs: 3_000, memoryBytes: 1_000_000_000 };
/** Longer than a reader is given, and than a new one takes to start. */
const HANG_MS = 20_000;
/** A question waits for no file. */
const QUESTION_MS = 5_000;

/** Whole files to begin with: each kind that can be imported. */
function wholeFiles(): Record<string, Uint8Array> {
  const rows = Array.from({ length: 40 }, (_, i) => i);
  const csv = [
    'id;name;day;fine',
    ...rows.map((i) => `${i};"Ash ""${i}""";${String((i % 28) + 1).padStart(2, '0')}.02.2026;${i},50`),
  ].join('\r\n');
  const parquet = (codec?: 'UNCOMPRESSED') =>
    new Uint8Array(
      parquetWriteBuffer({
        columnData: [
          { name: 'id', data: rows.map((i) => BigInt(i)), type: 'INT64' },
          { name: 'name', data: rows.map((i) => (i % 7 === 0 ? null : `Ash ${i % 5}`)), type: 'STRING' },
          { name: 'fine', data: rows.map((i) => i / 4), type: 'DOUBLE' },
          { name: 'late', data: rows.map((i) => i % 2 === 0), type: 'BOOLEAN' },
          { name: 'at', data: rows.map((i) => new Date(86_400_000 * (20_000 + i))), type: 'TIMESTAMP' },
        ],
        rowGroupSize: 16,
        ...(codec ? { codec } : {}),
      }),
    );
  return {
    'whole.csv': Buffer.from(csv),
    'wide.csv': Buffer.from(`\ufeff${csv}`, 'utf16le'),
    'old.csv': Buffer.from(csv.replaceAll('Ash', 'Äsh'), 'latin1'),
    'packed.csv.gz': gzipSync(csv),
    'snappy.parquet': parquet(),
    'plain.parquet': parquet('UNCOMPRESSED'),
  };
}

/** One to four damages: bytes that change, go, come twice, or are large numbers. */
function damaged(whole: Uint8Array, random: Seeded): Uint8Array {
  let bytes = Buffer.from(whole);
  for (let n = 1 + random.below(4); n > 0 && bytes.length > 0; n--) {
    const at = random.below(bytes.length);
    const length = 1 + random.below(random.chance(0.2) ? 400 : 8);
    switch (random.below(6)) {
      case 0:
        bytes[at] = random.below(256);
        break;
      case 1:
        bytes[at] = bytes[at]! ^ (1 << random.below(8));
        break;
      case 2:
        bytes = bytes.subarray(0, at);
        break;
      case 3:
        bytes = Buffer.concat([bytes.subarray(0, at), bytes.subarray(at + length)]);
        break;
      case 4:
        bytes = Buffer.concat([bytes.subarray(0, at), bytes.subarray(at, at + length), bytes.subarray(at)]);
        break;
      default:
        bytes.fill(random.pick([0, 0x7f, 0x80, 0xff]), at, Math.min(bytes.length, at + length));
    }
  }
  return bytes;
}

/** Brings damaged files to a server of its own: preview, and a load of what can be previewed. */
export async function files({ count, seed }: { count: number; seed: number }): Promise<Outcome> {
  const random = seeded(seed);
  const failed: string[] = [];
  const whole = Object.entries(wholeFiles());
  const ends = { read: 0, refused: 0, stopped: 0, loaded: 0 };
  // What a reader says of its own inside is told to the log: it is no fault of the program.
  const onBug = (bug: string) => void (bug.includes('a file could not be read') || failed.push(bug));
  await withServer(
    onBug,
    async ({ address }, folder) => {
      const { id } = await ask<{ id: number }>(address, 'POST', '/models', { title: 'Files' });
      for (let n = 0; n < count; n++) {
        const [name, bytes] = random.pick(whole);
        const fault = await once({
          address,
          folder,
          model: id,
          name,
          bytes: damaged(bytes, random),
          random,
          ends,
        });
        if (fault !== undefined) failed.push(`file ${n}, ${name}: ${fault}`);
      }
    },
    { readers: READERS },
  );
  const { read, refused, stopped, loaded } = ends;
  return {
    tried: count,
    failed,
    note: `${read} read, ${refused} refused, ${stopped} stopped; ${loaded} loaded`,
  };
}

interface Trial {
  readonly address: string;
  readonly folder: string;
  readonly model: number;
  readonly name: string;
  readonly bytes: Uint8Array;
  readonly random: Seeded;
  readonly ends: { read: number; refused: number; stopped: number; loaded: number };
}

async function once(trial: Trial): Promise<string | undefined> {
  const { address, folder, name, bytes, ends } = trial;
  const upload = await send(`${address}/api/uploads?name=${name}`, bytes);
  if (upload.status >= 400) ends.refused++;
  const early = faultIn(upload.status, upload.text, folder);
  if (early !== undefined || upload.status >= 400) return early;
  const { id } = JSON.parse(upload.text) as { id: string };
  const previewing = send(`${address}/api/uploads/${id}/preview`, '{}');
  const waited = await Promise.race([send(`${address}/api/models`).then(() => true), late(QUESTION_MS)]);
  const preview = await previewing;
  const fault = waited ? faultIn(preview.status, preview.text, folder) : 'a question waited for a file';
  if (fault !== undefined) return fault;
  if (preview.status >= 400) {
    if (preview.text.includes('"limit"')) ends.stopped++;
    else ends.refused++;
  } else {
    ends.read++;
    const loading = trial.random.chance(0.3)
      ? await load(trial, id, JSON.parse(preview.text) as PreviewState)
      : undefined;
    if (loading !== undefined) return loading;
  }
  await fetch(`${address}/api/uploads/${id}`, { method: 'DELETE' });
  return undefined;
}

/** Loads what was previewed. A load that runs on is cancelled, as somebody would. */
async function load(trial: Trial, upload: string, { preview }: PreviewState): Promise<string | undefined> {
  const { address, folder, model, random, ends } = trial;
  const columns = preview.columns.map((c, place) => ({
    name: `c${place}`,
    fileName: c.fileName,
    place: c.place,
    type: c.type.kind === 'decimal' ? `decimal(${c.type.precision},${c.type.scale})` : c.type.kind,
    ...(c.pattern ? { pattern: c.pattern } : {}),
  }));
  if (columns.length === 0) return undefined;
  const order = { upload, name: `t${random.below(1e9)}`, dialect: preview.dialect, columns, mode: 'replace' };
  const begun = await send(
    `${address}/api/models/${model}/intake`,
    JSON.stringify({ tables: [order], dryRun: true }),
  );
  const fault = faultIn(begun.status, begun.text, folder);
  if (fault !== undefined || begun.status >= 400) return fault;
  let job = JSON.parse(begun.text) as JobState;
  const since = Date.now();
  while (job.state === 'running') {
    await new Promise((resume) => setTimeout(resume, 10));
    if (Date.now() - since > READERS.previewMs)
      await fetch(`${address}/api/jobs/${job.id}`, { method: 'DELETE' });
    if (Date.now() - since > HANG_MS) return 'a load does not end, and cannot be cancelled';
    job = await ask<JobState>(address, 'GET', `/jobs/${job.id}`);
  }
  if (job.state === 'done') ends.loaded++;
  return (
    faultIn(200, job.faults.join('\n'), folder) ??
    (job.faults.some((f) => f.includes('something went wrong')) ? job.faults.join('; ') : undefined)
  );
}

const late = (ms: number) => new Promise<false>((resolve) => setTimeout(() => resolve(false), ms).unref());

async function send(url: string, body?: string | Uint8Array): Promise<{ status: number; text: string }> {
  const type = typeof body === 'string' ? 'application/json' : 'application/octet-stream';
  const response = await fetch(url, {
    method: body === undefined ? 'GET' : 'POST',
    headers: { 'content-type': type },
    ...(body === undefined ? {} : { body: body as string }),
    signal: AbortSignal.timeout(HANG_MS),
  }).catch(() => undefined);
  if (response === undefined) return { status: 599, text: 'no answer' };
  return { status: response.status, text: await response.text() };
}
