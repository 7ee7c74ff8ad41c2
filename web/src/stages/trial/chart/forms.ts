import type { QueryState } from '@crease/contract';
import type { Trial } from '@crease/core/model';
import { isNumeric } from '../../../parts/format.ts';
import type { ChartData } from './chartData.ts';

export type ChartForm = 'line' | 'bars' | 'stacked' | 'scatter' | 'bubble' | 'multiples';

/** How an answer is drawn; it stands in the address and is kept with a trial. */
export interface ChartView {
  /** The proposed one where none is named. */
  readonly form?: ChartForm | undefined;
  /** Measures that have an axis of their own at the right. */
  readonly right: readonly string[];
  /** Both axes have one scale. */
  readonly sameScale: boolean;
}

export const FORMS: readonly { readonly form: ChartForm; readonly title: string }[] = [
  { form: 'line', title: 'Line' },
  { form: 'bars', title: 'Bars' },
  { form: 'stacked', title: 'Stacked bars' },
  { form: 'scatter', title: 'Scatter' },
  { form: 'bubble', title: 'Bubbles' },
  { form: 'multiples', title: 'Small multiples' },
];

/** Measures of an answer that are numbers and apply. */
export const drawnMeasures = (answer: QueryState): string[] =>
  answer.columns
    .filter((c) => c.kind === 'measure' && isNumeric(c.type) && !answer.unreached.some(([m]) => m === c.name))
    .map((c) => c.name);

/** Why an answer cannot be drawn in a form; undefined where it can. */
export function unfit(form: ChartForm, answer: QueryState, drawn: ChartData): string | undefined {
  const measures = drawnMeasures(answer).length;
  switch (form) {
    case 'scatter':
      return measures < 2 ? 'needs two measures' : undefined;
    case 'bubble':
      return measures < 3 ? 'needs three measures' : undefined;
    case 'stacked':
      if (drawn.series.length < 2) return 'needs a second attribute or measure';
      return drawn.series.some((s) => s.points.some((p) => (p.y ?? 0) < 0))
        ? 'has negative values, which do not stack'
        : undefined;
    case 'multiples':
      return drawn.series.length < 2 ? 'needs a second attribute or measure' : undefined;
    default:
      return undefined;
  }
}

/** The form that is drawn: the chosen one where it fits, else the proposed one. */
export function formOf(view: ChartView, answer: QueryState, drawn: ChartData): ChartForm {
  const proposed = drawn.form === 'line' ? 'line' : 'bars';
  return view.form !== undefined && unfit(view.form, answer, drawn) === undefined ? view.form : proposed;
}

type KeptView = NonNullable<Trial['view']>;

/** A view as a trial keeps it. */
export const keptView = ({ form, right, sameScale }: ChartView): Omit<KeptView, 'as'> => ({
  ...(form === undefined ? {} : { form }),
  ...(right.length === 0
    ? {}
    : { axes: Object.fromEntries(right.map((m) => [m, 'right' as const])), sameScale }),
});

/** What of a trial's view goes into the address. */
export function openedView({ form, axes = {}, sameScale }: KeptView): ChartView {
  return {
    form: FORMS.find((f) => f.form === form)?.form,
    right: Object.keys(axes).filter((m) => axes[m] === 'right'),
    sameScale: sameScale ?? false,
  };
}

/** Puts a view into an address. */
export function writeView(params: URLSearchParams, { form, right, sameScale }: ChartView): void {
  for (const key of ['form', 'right', 'same']) params.delete(key);
  if (form !== undefined) params.set('form', form);
  for (const measure of right) params.append('right', measure);
  if (sameScale && right.length > 0) params.set('same', '1');
}

/** A view as the address has it; what it does not know is left out. */
export function readView(params: URLSearchParams): ChartView {
  const form = FORMS.find((f) => f.form === params.get('form'))?.form;
  return { form, right: params.getAll('right'), sameScale: params.get('same') === '1' };
}
