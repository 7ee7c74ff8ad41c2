import type { ReactNode } from 'react';
import type { ColumnPicture, ColumnProfile } from '@crease/core/storage';
import { bytes, count, many, percent } from '../../parts/text.ts';
import { bitsText } from './Ruler.tsx';
import { bitsARow, leastSays } from './ruler.ts';

/** A column opened beneath its ruler: what it takes, the ways it could be held, and how its rows lie. */
export function ColumnOpened({ column: c, rows }: { column: ColumnProfile; rows: number }) {
  if (c.fault !== undefined)
    return <p className="border-l-2 border-vermilion px-3 py-1 text-vermilion">{c.fault}</p>;
  const held = bitsARow(c.dataBytes, rows);
  return (
    <section
      aria-label={`How ${c.name} is held`}
      className="my-1 grid gap-x-6 gap-y-3 border border-rule bg-raised p-3 min-[1100px]:grid-cols-2"
    >
      <div>
        <h3 className="text-[14px]">{c.name}</h3>
        <p className="text-soft">
          {c.type}
          {c.formula === undefined ? '' : `, worked out: ${c.formula}`}
        </p>
        <dl className="mt-2 grid grid-cols-[auto_1fr] gap-x-3 gap-y-[2px]">
          <Fact name="Values">
            {many(c.distinct, 'different value')}, {c.nulls === 0 ? 'no nulls' : many(c.nulls, 'null')}
          </Fact>
          <Fact name="Stretches">
            {many(c.runs, 'stretch', 'stretches')} of equal values, {meanRows(rows, c.runs)} each
          </Fact>
          <Fact name="Codes">
            {bitsText(held)} bits a row, {bytes(c.dataBytes)}
          </Fact>
          <Fact name="Dictionary">
            {c.dictionaryBytes === 0
              ? 'none: codes are distances from the least value'
              : `${bytes(c.dictionaryBytes)}, ${bitsText(bitsARow(c.dictionaryBytes, rows))} bits a row`}
          </Fact>
          <Fact name="Needs">
            {bitsText(c.leastBits)} bits a row by {leastSays(c)}
          </Fact>
          {c.storedBytes !== undefined && <Fact name="In the file">{bytes(c.storedBytes)}</Fact>}
          <Fact name="Used by">{c.usedBy.length === 0 ? 'nothing in the model' : c.usedBy.join(', ')}</Fact>
        </dl>
      </div>
      <div className="min-w-0">
        <Ways column={c} rows={rows} />
        {c.picture && <Picture picture={c.picture} column={c} />}
      </div>
    </section>
  );
}

const meanRows = (rows: number, runs: number): string => {
  const mean = runs === 0 ? 0 : Math.round((10 * rows) / runs) / 10;
  return `${mean.toLocaleString()} ${mean === 1 ? 'row' : 'rows'}`;
};

const Fact = ({ name, children }: { name: string; children: ReactNode }) => (
  <>
    <dt className="text-soft">{name}</dt>
    <dd>{children}</dd>
  </>
);

const WAYS: Readonly<Record<string, string>> = {
  constant: 'one value',
  packed: 'equal bits',
  blocks: 'bits by block',
  runs: 'stretches',
  delta: 'distances',
  huffman: 'short for frequent',
  doubles: 'as they are',
};

/** The codes held in each way throughout, in bits a row; dictionaries are the same for all but doubles. */
function Ways({ column: c, rows }: { column: ColumnProfile; rows: number }) {
  const most = Math.max(...c.alternatives.map((a) => a.bytes), 1);
  const isHeld = (encoding: string) => c.held.some((h) => h.encoding === encoding);
  return (
    <table className="w-full" aria-label={`Ways to hold ${c.name}`}>
      <caption className="pb-1 text-left text-[11px] font-semibold text-soft">
        Ways to hold its codes, bits a row
      </caption>
      <tbody>
        {c.alternatives.map((a) => (
          <tr key={a.encoding} className={isHeld(a.encoding) ? 'font-semibold' : 'text-soft'}>
            <th
              scope="row"
              className={`w-[130px] pr-2 text-left ${isHeld(a.encoding) ? '' : 'font-normal'}`}
              title={a.encoding}
            >
              {WAYS[a.encoding] ?? a.encoding}
              {isHeld(a.encoding) ? ' ✓' : ''}
            </th>
            <td className="py-[3px]">
              <span
                className={`block h-[9px] ${isHeld(a.encoding) ? 'bg-ink' : 'bg-bar-soft'}`}
                style={{ width: `${Math.max(0.5, (100 * a.bytes) / most)}%` }}
              />
            </td>
            <td className="num w-[56px]" title={`${count(a.bytes)} bytes`}>
              {bitsText(bitsARow(a.bytes, rows))}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Runs of the first rows as stripes, the darker the later the value comes; frequencies as steps. */
function Picture({
  picture: { stripes, steps },
  column: c,
}: {
  picture: ColumnPicture;
  column: ColumnProfile;
}) {
  const rows = stripes.reduce((n, s) => n + s.rows, 0);
  const starts = stripes.map((_, i) => stripes.slice(0, i).reduce((n, s) => n + s.rows, 0));
  const tallest = steps[0] ?? 1;
  const places = stripes.map((s) => s.place).filter((place) => place >= 0);
  const [first, last] = [Math.min(...places), Math.max(...places)];
  const shade = (place: number) => 0.06 + (last > first ? (0.88 * (place - first)) / (last - first) : 0.5);
  return (
    <div className="mt-3 grid grid-cols-2 gap-4">
      <figure>
        <svg
          viewBox={`0 0 ${rows} 28`}
          preserveAspectRatio="none"
          className="h-[28px] w-full border border-rule"
          role="img"
          aria-label={`The first ${count(rows)} rows of ${c.name} in ${many(stripes.length, 'stretch', 'stretches')}`}
        >
          {stripes.map((s, i) => (
            <rect
              key={starts[i]}
              x={starts[i]}
              width={s.rows}
              height="28"
              className={s.place < 0 ? 'fill-leaf' : 'fill-ink'}
              opacity={s.place < 0 ? 1 : shade(s.place)}
            />
          ))}
        </svg>
        <figcaption className="text-[11px] text-soft">first {many(rows, 'row')}, as they lie</figcaption>
      </figure>
      <figure>
        <svg
          viewBox={`0 0 ${Math.max(1, steps.length)} 28`}
          preserveAspectRatio="none"
          className="h-[28px] w-full border border-rule"
          role="img"
          aria-label={`The most frequent value of ${c.name} is on ${percent(steps[0] ?? 0)} of the rows`}
        >
          {steps.map((share, i) => (
            <rect key={i} x={i} y={28 - (28 * share) / tallest} width="1" height="28" className="fill-bar" />
          ))}
        </svg>
        <figcaption className="text-[11px] text-soft">
          most frequent values, up to {percent(steps[0] ?? 0)} of the rows
        </figcaption>
      </figure>
    </div>
  );
}
