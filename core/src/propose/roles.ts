import type { Column } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import { nameWords, sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { few } from '../shape/index.ts';
import { isCodeName } from '../claims/index.ts';
import { counted } from '../values/index.ts';
import { amountsOf, referringColumns } from './holds.ts';
import { isOfValidity, isTimePart, isValidityEnd, isValidityStart } from './names.ts';
import type { Proposal } from './proposal.ts';

/**
 * The role of each table by what it holds: amounts, dates, references out and rows make a fact, also where
 * another table refers to it or none does; what others refer to, and labels, make a dimension. With the
 * weight of a bridge and the validity of versions.
 */
export function proposeRoles(model: Model, data: ModelData): Proposal[] {
  return model.tables.flatMap((t): Proposal[] => {
    const found = roleOf(model, data, t);
    const { role, share } = found;
    // What somebody has said a table is, it is.
    if (t.role === role || t.role !== 'staging') return [];
    const start = outOf(model, t)[0];
    const weight =
      role === 'bridge' && share !== undefined && start
        ? { weight: { column: share, per: [start.from.columns[0]!] } }
        : {};
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
        evidence: found.evidence,
        edit: [{ do: 'set-table', table: t.name, change: { role, ...weight, ...validity } }],
      },
    ];
  });
}

const outOf = (model: Model, t: Table): Relationship[] =>
  (model.relationships ?? []).filter((r) => sameName(r.from.table, t.name));
const intoOf = (model: Model, t: Table): Relationship[] =>
  (model.relationships ?? []).filter((r) => sameName(r.to.table, t.name));

interface FoundRole {
  readonly role: Table['role'];
  readonly evidence: readonly string[];
  /** The column of shares of a bridge. */
  readonly share?: string;
}

function roleOf(model: Model, data: ModelData, t: Table): FoundRole {
  const bridge = asBridge(model, data, t);
  if (bridge) return bridge;
  if (validityOf(t)) return { role: 'dimension', evidence: ['its rows are versions, each valid for a time'] };
  if ((model.hierarchies ?? []).some((h) => h.parent !== undefined && sameName(h.table, t.name)))
    return { role: 'dimension', evidence: ['its rows have parents among themselves'] };
  const signs = signsOf(model, data, t);
  const score = signs.reduce((sum, s) => sum + s.for, 0);
  const evidence = signs.map((s) => s.says);
  if (score >= FACT) return { role: 'fact', evidence };
  const into = intoOf(model, t).length;
  if (into > 0 || t.key?.length === 1)
    return {
      role: 'dimension',
      evidence:
        evidence.length > 0 ? evidence : ['one column tells its rows apart; no relationship leads to it yet'],
    };
  return {
    role: 'staging',
    evidence: evidence.length > 0 ? evidence : ['it holds neither amounts nor references'],
  };
}

/** Two references that are the key, and no amount: members of one beside members of the other. */
function asBridge(model: Model, data: ModelData, t: Table): FoundRole | undefined {
  const referring = referringColumns(model, t);
  const targets = [...new Set(outOf(model, t).map((r) => r.to.table))];
  const key = t.key ?? [];
  const others = t.columns.filter((c) => !referring.has(c.name.toLowerCase()));
  const isMadeOfReferences = key.length > 1 && key.every((k) => referring.has(k.toLowerCase()));
  if (!isMadeOfReferences || targets.length !== 2 || others.length > 2 || intoOf(model, t).length > 0)
    return undefined;
  const share = others.find((c) => isShare(data.column(t.name, c.name)));
  const isPlain =
    !others.some((c) => ['date', 'timestamp'].includes(c.type)) && amountsOf(t, data).length === 0;
  if (share === undefined && !isPlain) return undefined;
  return {
    role: 'bridge',
    evidence: [
      `its key is made of references to ${targets.join(' and ')}`,
      ...(share ? [`${share.name} lies between 0 and 1: a share`] : []),
    ],
    ...(share ? { share: share.name } : {}),
  };
}

/** What speaks for a fact, or against it. */
interface Sign {
  readonly for: number;
  readonly says: string;
}
/** From so much on a table is a fact. */
const FACT = 2;
/** So many times as many rows say that the other is looked up. */
const MANY_TIMES = 4;

function signsOf(model: Model, data: ModelData, t: Table): Sign[] {
  const rows = data.rowCount(t.name);
  const referring = referringColumns(model, t);
  // The day of a moment says when, which the moment has said.
  const isDerived = (name: string) =>
    t.columns.some((c) => sameName(c.name, name) && c.formula !== undefined);
  const references = outOf(model, t).filter((r) => !r.from.columns.every(isDerived));
  const targets = [...new Set(references.map((r) => r.to.table))];
  const referred = intoOf(model, t).map((r) => r.from.table);
  const amounts = amountsOf(t, data).filter((name) => !referring.has(name.toLowerCase()));
  const dates = t.columns.filter((c) => isMoment(t, c));
  const keyRefers = (t.key ?? []).length > 1 && t.key!.some((k) => referring.has(k.toLowerCase()));
  const label = t.columns.find(
    (c) => !referring.has(c.name.toLowerCase()) && isLabel(t, c, data.column(t.name, c.name)),
  );
  const signs: Sign[] = [];
  const sign = (weight: number, says: string) => signs.push({ for: weight, says });
  if (amounts.length > 0) sign(amounts.length >= 3 ? 2 : 1, `amounts: ${few(amounts)}`);
  if (dates.length > 0) sign(1, `days or times: ${few(dates.map((c) => c.name))}`);
  if (targets.length > 0) sign(targets.length > 1 ? 1 : 0.5, `it refers to ${few(targets)}`);
  const codes = t.columns.filter((c) => isRepeatedCode(t, c, data) && !referring.has(c.name.toLowerCase()));
  if (codes.length > 0 && amounts.length > 0 && t.key)
    sign(0.5, `codes that repeat: ${few(codes.map((c) => c.name))}`);
  if (amounts.length > 0 && !t.key) sign(0.5, 'no columns tell its rows apart');
  if (keyRefers) sign(1, 'references are part of its key');
  else if ((t.key ?? []).length > 1) sign(0.5, 'its key has several columns');
  if (targets.length > 0 && rows >= MANY_TIMES * Math.max(...targets.map((name) => data.rowCount(name))))
    sign(1, `${counted(rows, 'row')}, many times more than the tables that it refers to`);
  if (amounts.length > 0 && !t.columns.some((c) => c.type === 'text')) sign(1, 'it has no text columns');
  // A town has its name, and shares it with others.
  const name =
    amounts.length + dates.length === 0 && t.key?.length === 1
      ? t.columns.find((c) => isOwnName(c, data.column(t.name, c.name)))
      : undefined;
  if (label) sign(-1.5, `${label.name} differs in nearly every row, as a label does`);
  else if (name) sign(-1.5, `${name.name} names its rows, and it holds neither amounts nor days`);
  else if (t.key?.length !== 1 || targets.length > 0 || amounts.length > 0) sign(0.5, 'it has no label');
  if (referred.length > 0) {
    const isFarLarger = referred.some((name) => data.rowCount(name) >= MANY_TIMES * rows);
    sign(
      isFarLarger ? -2.5 : -1.5,
      `${few([...new Set(referred)])} ${new Set(referred).size === 1 ? 'refers' : 'refer'} to it`,
    );
  }
  return signs;
}

/** Whether a column tells when something happened: a day or a moment, or a part of one that is in the key. */
const isMoment = (t: Table, { name, type }: ModelColumn): boolean =>
  ((type === 'date' || type === 'timestamp') && !isOfValidity(name)) ||
  (isTimePart(name) && (t.key ?? []).some((k) => sameName(k, name)));

/** So often on average a code stands that is one of another table, which need not be here. */
const REPEATED = 5;

const isRepeatedCode = (t: Table, { name, formula }: ModelColumn, data: ModelData): boolean => {
  if (formula !== undefined || !isCodeName(name) || (t.key ?? []).some((k) => sameName(k, name)))
    return false;
  const column = data.column(t.name, name);
  return column.distinct > 0 && column.distinct * REPEATED <= column.rowCount - column.nulls;
};

const NO_LABELS = /comment|note|remark|description|text|url|link|address|hash|uuid|guid|path/i;
/** So much of the rows have a label of their own. */
const OWN = 0.9;

/** Whether a text names nearly each row: it is neither a code nor a remark, and outside of the key. */
const isLabel = (t: Table, { name, type }: ModelColumn, column: Column): boolean =>
  type === 'text' &&
  !(t.key ?? []).some((k) => sameName(k, name)) &&
  !isCodeName(name) &&
  !NO_LABELS.test(name) &&
  column.distinct >= column.rowCount * OWN;

/** So much of the rows' names differ where a table is one of named things. */
const NAMED = 0.5;

const isOwnName = ({ name, type }: ModelColumn, column: Column): boolean =>
  type === 'text' &&
  ['name', 'title', 'label'].includes(nameWords(name).at(-1) ?? '') &&
  column.distinct >= column.rowCount * NAMED;

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
