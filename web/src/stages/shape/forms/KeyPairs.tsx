import { Choice, Row } from '../fields.tsx';

type Pairs = readonly [string, string][];

/** Pairs of columns by which rows of two tables find each other. */
export function KeyPairs({
  word,
  pairs,
  here,
  table,
  there,
  onChange,
}: {
  /** What stands before the first pair: `on`, `where`. */
  word: string;
  pairs: Pairs;
  here: readonly string[];
  table: string;
  there: readonly string[];
  onChange: (pairs: [string, string][]) => void;
}) {
  const put = (i: number, pair: [string, string]) => onChange(pairs.map((p, k) => (k === i ? pair : p)));
  return pairs.map(([a, b], i) => (
    <Row key={i} label={i === 0 ? word : 'and'}>
      <Choice label={`Own key ${i + 1}`} value={a} options={here} onChange={(name) => put(i, [name, b])} />
      <span>=</span>
      <Choice
        label={`Key ${i + 1} of ${table}`}
        value={b}
        options={there}
        onChange={(name) => put(i, [a, name])}
      />
      {pairs.length > 1 && (
        <button
          type="button"
          className="btn btn-bare"
          aria-label={`Remove key ${i + 1}`}
          onClick={() => onChange(pairs.filter((_, k) => k !== i))}
        >
          ×
        </button>
      )}
      {i === pairs.length - 1 && (
        <button type="button" className="btn h-[24px]" onClick={() => onChange([...pairs, ['', '']])}>
          Add key <span aria-hidden>+</span>
        </button>
      )}
    </Row>
  ));
}
