import type { Measure, Model, PeriodFamily } from './schema.ts';
import { sameName } from './names.ts';

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** The measure of a family over one of its periods. */
const familyMeasureName = (model: Model, family: PeriodFamily, period: string): string => {
  const role = roleOf(model, family);
  return `${family.measure}, ${period}${role === undefined ? '' : `, ${role}`}`;
};

/**
 * The relationship that a family goes by, in words, where its calendar is reached by another one too: two
 * families of one measure would else have measures of one name.
 */
function roleOf(model: Model, { via }: PeriodFamily): string | undefined {
  const relationships = model.relationships ?? [];
  const own = via === undefined ? undefined : relationships.find((r) => sameName(r.name, via));
  if (!own) return undefined;
  const alike = relationships.filter(
    (r) => sameName(r.from.table, own.from.table) && sameName(r.to.table, own.to.table),
  );
  return alike.length < 2 ? undefined : own.name.replaceAll('_', ' ');
}

/** The formula of a measure over a period, as a family has it. */
function familyFormula({ measure, calendar, via }: PeriodFamily, period: string): string {
  const days = calendar === undefined ? period : `${period} in ${quoted(calendar)}`;
  return `${quoted(measure)} over (${days})${via === undefined ? '' : ` via ${quoted(via)}`}`;
}

/** Measures that period families make: `BASE, PERIOD`, in the format and folder of their base. */
export function familyMeasures(model: Model): Measure[] {
  return (model.periodFamilies ?? []).flatMap((family) => {
    const base = (model.measures ?? []).find((m) => sameName(m.name, family.measure));
    // The goal is for the measure itself, and its way is that of the base within the family's formula.
    const { goal: _goal, via: _via, title, ...alike }: Partial<Measure> = base ?? {};
    return family.periods.map((period) => ({
      ...alike,
      ...(title === undefined
        ? {}
        : { title: familyMeasureName(model, { ...family, measure: title }, period) }),
      name: familyMeasureName(model, family, period),
      formula: familyFormula(family, period),
    }));
  });
}

/** The measures that the model itself lists, without those that `withFamilies` has written out. */
export function ownMeasures(model: Model): readonly Measure[] {
  const made = familyMeasures(model);
  const own = [...(model.measures ?? [])];
  for (const { name, formula } of made) {
    const at = own.findLastIndex((m) => m.name === name && m.formula === formula);
    if (at >= 0) own.splice(at, 1);
  }
  return own;
}

/** The model with the measures of its period families written out; the same object where it has none. */
export function withFamilies(model: Model): Model {
  const made = familyMeasures(model);
  return made.length === 0 ? model : { ...model, measures: [...(model.measures ?? []), ...made] };
}
