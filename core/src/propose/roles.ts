import type { Column } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { codeReason, isCodeName } from '../claims/index.ts';
import { parseType, TEXT } from '../values/index.ts';
import { labelOf } from './labels.ts';
import { isOfValidity, isTimePart, isValidityEnd, isValidityStart } from './names.ts';
import type { Proposal } from './proposal.ts';

const counted = (n: number, word: string): string => `${n} ${word}${n === 1 ? '' : 's'}`;

/**
 * The role of each table, read from the relationships, with the weight of a bridge and the validity of
 * versions.
 */
export function proposeRoles(model: Model, data: ModelData): Proposal[] {
  const relationships = model.relationships ?? [];
  return model.tables.flatMap((t): Proposal[] => {
    const out = relationships.filter((r) => sameName(r.from.table, t.name));
    const into = relationships.filter((r) => sameName(r.to.table, t.name));
    const targets = new Set(out.map((r) => r.to.table));
    const referring = new Set(out.flatMap((r) => r.from.columns.map((c) => c.toLowerCase())));
    const others = t.columns.filter((c) => !referring.has(c.name.toLowerCase()));
    const keyIsReferences = (t.key ?? []).length > 1 && t.key!.every((k) => referring.has(k.toLowerCase()));
    const share = others.find((c) => isShare(data.column(t.name, c.name)));
    const evidence: string[] = [];
    let role: Table['role'];
    if (into.length > 0) {
      role = 'dimension';
      evidence.push(`${counted(into.length, 'relationship')} lead${into.length === 1 ? 's' : ''} to it`);
    } else if (
      keyIsReferences &&
      targets.size === 2 &&
      others.length <= 2 &&
      (share !== undefined || others.length === 0)
    ) {
      role = 'bridge';
      evidence.push(`its key is made of references to ${[...targets].join(' and ')}`);
      if (share) evidence.push(`${share.name} lies between 0 and 1: a share`);
    } else if (validityOf(t)) {
      role = 'dimension';
      evidence.push('its rows are versions, each valid for a time');
    } else if ((model.hierarchies ?? []).some((h) => h.parent !== undefined && sameName(h.table, t.name))) {
      role = 'dimension';
      evidence.push('its rows have parents among themselves');
    } else if (targets.size >= 1) {
      const wide =
        data.rowCount(t.name) >= Math.max(...[...targets].map((name) => data.rowCount(name)), 0) / 4;
      // What is told apart by what it refers to, and has numbers, is a fact however few its rows are.
      const keyRefers = (t.key ?? []).length > 1 && t.key!.some((k) => referring.has(k.toLowerCase()));
      const counts = others.some((c) => holdsAmounts(t, c, data.column(t.name, c.name)));
      role = targets.size >= 2 || wide || (keyRefers && counts) ? 'fact' : 'dimension';
      evidence.push(
        `it refers to ${counted(targets.size, 'table')} and none refers to it`,
        counted(data.rowCount(t.name), 'row'),
      );
    } else if (
      t.key?.length === 1 &&
      labelOf(t, data) !== undefined &&
      !t.columns.some((c) => holdsAmounts(t, c, data.column(t.name, c.name)))
    ) {
      role = 'dimension';
      evidence.push('one column tells its rows apart, others describe them; no relationship leads to it yet');
    } else {
      role = 'staging';
      evidence.push('no relationship leads to it or from it');
    }
    // What somebody has said a table is, it is.
    if (t.role === role || t.role !== 'staging') return [];
    const weight =
      role === 'bridge' && share ? { weight: { column: share.name, per: [out[0]!.from.columns[0]!] } } : {};
    const valid = role === 'dimension' && !t.validity ? validityOf(t) : undefined;
    const natural = t.columns.find(
      (c) => !isOfValidity(c.name) && !(t.key ?? []).some((k) => sameName(k, c.name)) && isCodeName(c.name),
    );
    const validity = valid && natural ? { validity: { of: [natural.name], ...valid } } : {};
    return [
      {
        id: `role:${t.name}`,
        kind: 'role',
        table: t.name,
        says: `${t.name} is a ${role} table`,
        evidence,
        edit: [{ do: 'set-table', table: t.name, change: { role, ...weight, ...validity } }],
      },
    ];
  });
}

/** Whether a column holds numbers that may be added up or averaged. */
const holdsAmounts = (t: Table, { name, type }: ModelColumn, column: Column): boolean => {
  const { kind } = parseType(type) ?? TEXT;
  const isNumber = kind === 'decimal' || kind === 'double' || kind === 'integer';
  const isKey = (t.key ?? []).some((k) => sameName(k, name));
  return (
    isNumber && !isKey && !isTimePart(name) && codeReason(name, kind === 'integer', column) === undefined
  );
};

/** The columns between which a version is valid. */
function validityOf(t: Table): { from: string; to: string } | undefined {
  const from = t.columns.find((c) => c.type === 'date' && isValidityStart(c.name));
  const to = t.columns.find((c) => c.type === 'date' && isValidityEnd(c.name));
  return from && to ? { from: from.name, to: to.name } : undefined;
}

function isShare(column: Column): boolean {
  if (column.type.kind !== 'decimal' && column.type.kind !== 'double') return false;
  const unit = column.type.kind === 'decimal' ? 10 ** column.type.scale : 1;
  return columnValues(column).every((v) => v === null || (Number(v) > 0 && Number(v) <= unit));
}
