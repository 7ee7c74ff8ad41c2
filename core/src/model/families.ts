import type { Measure, Model } from './schema.ts';
import { sameName } from './names.ts';

/** Measures that period families make: `BASE, PERIOD`, in the format and folder of their base. */
export function familyMeasures(model: Model): Measure[] {
  return (model.periodFamilies ?? []).flatMap((family) => {
    const base = (model.measures ?? []).find((m) => sameName(m.name, family.measure));
    return family.periods.map((period) => ({
      ...(base ?? {}),
      name: `${family.measure}, ${period}`,
      formula: `"${family.measure.replaceAll('"', '""')}" over (${period}${family.calendar === undefined ? '' : ` in "${family.calendar}"`})`,
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
