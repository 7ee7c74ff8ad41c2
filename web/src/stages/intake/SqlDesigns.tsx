import { useEffect, useState } from 'react';
import { api } from '@crease/contract';
import type { SqlDesign } from '@crease/contract';
import type { Model } from '@crease/core/model';
import { freeName, sameName } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useGo } from '../../state/selection.ts';
import { RoleMark } from '../../parts/Marks.tsx';
import { many } from '../../parts/text.ts';

/** Whether a file declares tables rather than holds rows. */
export const isSqlFile = (name: string): boolean => /\.(sql|ddl)$/i.test(name);

/** What of a design the model does not have yet: tables of its names stay as they are. */
function newIn(model: Model, { tables, relationships }: SqlDesign) {
  const has = (name: string) => model.tables.some((t) => sameName(t.name, name));
  const taken: { name: string }[] = [...(model.relationships ?? [])];
  const added = relationships
    .filter((r) => !has(r.from.table))
    .map((r) => {
      const named = { ...r, name: freeName(r.name, taken) };
      taken.push(named);
      return named;
    });
  return {
    tables: tables.filter((t) => !has(t.name)),
    there: tables.filter((t) => has(t.name)).map((t) => t.name),
    relationships: added,
  };
}

/** The tables that a SQL file declares, before they are added to the model as a design. */
export function SqlDesignCard({ file, onDone }: { file: File; onDone: () => void }) {
  const { model, edit } = useModel();
  const go = useGo();
  const [design, setDesign] = useState<SqlDesign>();
  const [fault, setFault] = useState<string>();
  useEffect(() => {
    let current = true;
    void file
      .text()
      .then((sql) => ask(api.intake.design, {}, { sql }))
      .then(
        (read) => current && setDesign(read),
        (reason: unknown) => current && setFault(reason instanceof Error ? reason.message : String(reason)),
      );
    return () => {
      current = false;
    };
  }, [file]);
  const added = design && newIn(model, design);
  const accept = async () => {
    if (!added) return;
    const done = await edit(
      [
        ...added.tables.map((value) => ({ do: 'put-tables' as const, name: null, value })),
        ...added.relationships.map((value) => ({ do: 'put-relationships' as const, name: null, value })),
      ],
      `add ${many(added.tables.length, 'table')} designed in ${file.name}`,
    );
    if (!done) return;
    onDone();
    go('stars');
  };
  return (
    <section aria-label={`File ${file.name}`} className="border-b border-rule-strong px-4 py-3">
      <header className="flex items-center gap-3">
        <h2 className="text-[15px]">{file.name}</h2>
        <span className="flex-1 text-soft">
          {design
            ? `declares ${many(design.tables.length, 'table')} and ${many(design.relationships.length, 'reference')}; no rows`
            : fault === undefined
              ? 'Reading …'
              : ''}
        </span>
        <button
          className="btn btn-act"
          disabled={!added || added.tables.length === 0}
          onClick={() => void accept()}
        >
          Add {many(added?.tables.length ?? 0, 'table')}
        </button>
        <button className="btn btn-bare" onClick={onDone}>
          Cancel
        </button>
      </header>
      {fault !== undefined && <p className="mt-2 text-vermilion">{fault}</p>}
      {design?.tables.length === 0 && (
        <p className="mt-2 text-soft">It holds no CREATE TABLE statement that can be read.</p>
      )}
      {added && added.there.length > 0 && (
        <p className="mt-2">
          {added.there.join(', ')} {added.there.length === 1 ? 'is' : 'are'} in the model already and{' '}
          {added.there.length === 1 ? 'stays as it is' : 'stay as they are'}.
        </p>
      )}
      {added && (
        <ul className="mt-2 columns-2 gap-x-6">
          {added.tables.map((t) => (
            <li key={t.name} className="flex items-baseline gap-2 py-[2px]">
              <RoleMark role={t.role} />
              <b className="truncate">{t.name}</b>
              <span className="truncate text-soft">
                {many(t.columns.length, 'column')}
                {t.key ? `, key ${t.key.join(', ')}` : ', no key'}
              </span>
            </li>
          ))}
        </ul>
      )}
      {design && design.notes.length > 0 && (
        <ul className="mt-2 text-vermilion" aria-label="Left out">
          {design.notes.map((n) => (
            <li key={`${n.line}${n.text}`}>
              line {n.line}: {n.text}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
