import { api } from '@crease/contract';
import type { DimensionFacts, OutriggerFacts } from '@crease/core/stars';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { RoleMark } from '../../parts/Marks.tsx';
import { bytes, count, many } from '../../parts/text.ts';

/**
 * Which dimensions are shared, play roles or are snowflaked, what flattening would cost, and columns of facts
 * that belong to no dimension.
 */
export function StarAdvice() {
  const { id, state } = useModel();
  const { data, error } = useAnswer(
    api.questions.starAdvice,
    { id },
    { of: state.revision.id, keepPreviousData: true },
  );
  if (error) return <p className="p-4 text-soft">{error.message}</p>;
  if (!data) return <p className="p-4 text-soft">Comparing columns …</p>;
  const shared = data.dimensions.filter((d) => d.facts.length > 1);
  const single = data.dimensions.filter((d) => d.facts.length === 1);
  const idle = data.dimensions.filter((d) => d.facts.length === 0);
  const flakes = data.dimensions.flatMap((d) => d.outriggers.map((o) => ({ d, o })));
  const roles = data.dimensions.flatMap((d) => d.roles.map((r) => ({ d, r })));
  return (
    <div className="min-h-0 flex-1 overflow-auto px-4 py-3">
      <Group title="Shared dimensions" says="Facts are compared side by side by these.">
        {shared.map((d) => (
          <DimensionLine key={d.table} d={d} />
        ))}
      </Group>
      <Group title="Dimensions of one fact">
        {single.map((d) => (
          <DimensionLine key={d.table} d={d} />
        ))}
      </Group>
      <Group title="Dimensions that reach no fact" says="Relate them, or remove them from the model.">
        {idle.map((d) => (
          <DimensionLine key={d.table} d={d} />
        ))}
      </Group>
      <Group
        title="Dimensions in several roles"
        says="Trials ask by the dimension and, beside it, by its roles; measures reach along one that is not default with via."
      >
        {roles.map(({ d, r }) => (
          <li key={`${d.table}${r.fact}`} className="py-[3px]">
            <b>{d.table}</b> for {r.fact}:{' '}
            {r.relationships.map((x) => `${x.role ?? x.name}${x.default ? ' (default)' : ''}`).join(', ')}
          </li>
        ))}
      </Group>
      <Group
        title="Snowflaked dimensions"
        says="Flattening copies the columns of the outer table into the inner one: one hop less, and the values once for each row."
      >
        {flakes.map(({ d, o }) => (
          <Outrigger key={o.relationship} table={d.table} o={o} />
        ))}
      </Group>
      <Group title="Columns of facts that belong to no dimension">
        {data.loose.map((l) => (
          <li key={l.fact} className="py-[3px]">
            <b>{l.fact}</b>
            {l.degenerate.length > 0 && (
              <span className="block pl-4">
                dimensions of one column that stay in the fact:{' '}
                {l.degenerate.map((c) => `${c.column} (${count(c.distinct)})`).join(', ')}
              </span>
            )}
            {l.junk.length > 1 && (
              <span className="block pl-4">
                flags and small codes, which may make one dimension:{' '}
                {l.junk.map((c) => `${c.column} (${c.distinct})`).join(', ')}; at most{' '}
                {count(l.combinations!)} combinations
              </span>
            )}
          </li>
        ))}
      </Group>
    </div>
  );
}

function Group({ title, says, children }: { title: string; says?: string; children: React.ReactNode[] }) {
  if (children.length === 0) return null;
  return (
    <section aria-label={title} className="mb-4">
      <h2 className="text-[15px]">{title}</h2>
      {says && <p className="text-soft">{says}</p>}
      <ul className="mt-1">{children}</ul>
    </section>
  );
}

function DimensionLine({ d }: { d: DimensionFacts }) {
  const [, select] = useSelection();
  return (
    <li className="flex min-h-[26px] items-center gap-2">
      <RoleMark role="dimension" />
      <button
        className="min-h-[24px] font-semibold hover:underline"
        onClick={() => select({ kind: 'table', name: d.table })}
      >
        {d.table}
      </button>
      <span className="text-soft">{d.facts.join(', ')}</span>
    </li>
  );
}

function Outrigger({ table, o }: { table: string; o: OutriggerFacts }) {
  const { edit } = useModel();
  const more = o.bytesHere === undefined ? undefined : o.bytesHere - o.bytesThere;
  return (
    <li className="flex items-baseline gap-3 py-[3px]">
      <span className="min-w-0 flex-1">
        <b>{table}</b> → {o.table}: {o.columns.join(', ')}
        <span className="block text-soft">
          {more === undefined
            ? 'its rows are not there to be measured'
            : `${bytes(o.bytesHere!)} on the rows of ${table} instead of ${bytes(o.bytesThere)} in ${o.table}: ${bytes(Math.abs(more))} ${more > 0 ? 'more' : 'less'}`}
          {o.facts.length > 0 && `; one hop less for ${many(o.facts.length, 'fact')}`}
        </span>
      </span>
      {o.edit && (
        <button
          className="btn shrink-0"
          title={`A lookup step of ${table} adds the columns; ${o.table} stays until it is removed`}
          onClick={() => void edit(o.edit!, `flatten ${o.table} into ${table}`)}
        >
          Flatten
        </button>
      )}
    </li>
  );
}
