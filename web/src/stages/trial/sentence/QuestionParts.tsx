import { useMemo } from 'react';
import type { AskedItem, MeasureItem, Perspective, Query } from '@crease/core/model';
import { useModel } from '../../../state/model.tsx';
import { useTold } from '../../../state/told.ts';
import { attributesOf, itemText, measureText } from '../attributes.ts';
import type { Said } from '../said.ts';
import { useSaid } from '../said.ts';
import { ConditionPart } from './ConditionPart.tsx';
import type { SpotAttribute, SpotMeasure } from './OnTheSpot.tsx';
import { SpotAttributeForm, SpotMeasureForm, useKeep } from './OnTheSpot.tsx';
import { attributeOptions, conditionOptions, measureOptions } from './options.ts';
import { Part } from './Part.tsx';
import type { Option } from './Picker.tsx';
import { Picker } from './Picker.tsx';

export interface QuestionProps {
  readonly query: Query;
  readonly perspective: Perspective | undefined;
  readonly onAsk: (query: Query) => void;
}

const without = <T,>(list: readonly T[], i: number): T[] => list.filter((_, j) => j !== i);
const replaced = <T,>(list: readonly T[], i: number, by: T): T[] => list.map((x, j) => (j === i ? by : x));
const isSpotMeasure = (m: MeasureItem): m is SpotMeasure => typeof m !== 'string' && 'formula' in m;
const isSpotAttribute = (item: AskedItem): item is SpotAttribute =>
  typeof item !== 'string' && 'formula' in item;

/** The question part by part: each to change, move or remove, and more to add. */
export function QuestionParts({ query, perspective, onAsk }: QuestionProps) {
  // Roles of a dimension are seen with it, whether or not the facts that play them are.
  const { whole: model, measures: known, isReader } = useModel();
  const told = useTold();
  const said = useSaid();
  const titled = <T,>(options: Option<T>[]) => (isReader ? options.map((o) => inTitles(o, said)) : options);
  const attributes = useMemo(() => attributesOf(model, perspective), [model, perspective]);
  const filters = query.filters ?? [];
  const seen = () => known.filter((m) => !m.hidden);
  return (
    <>
      <span>show</span>
      <MeasureParts query={query} onAsk={onAsk} />
      <Picker
        label="Add a measure"
        options={() => titled(measureOptions(model, seen(), query, perspective === undefined))}
        onPick={(item) => onAsk({ ...query, measures: [...query.measures, item] })}
        form={{
          text: 'measure by a formula …',
          body: (close) => (
            <SpotMeasureForm
              value={undefined}
              onSave={(spot) => {
                onAsk({ ...query, measures: [...query.measures, spot] });
                close();
              }}
            />
          ),
        }}
      />
      {(['by', 'across'] as const).map((place) => (
        <span key={place} className="contents">
          <span>{place}</span>
          <AttributeParts place={place} query={query} onAsk={onAsk} />
          <Picker
            label={place === 'by' ? 'Add an attribute' : 'Lay out across'}
            options={() =>
              titled(
                attributeOptions(
                  attributes,
                  place === 'by' ? query.by : [...(query.by ?? []), ...(query.across ?? [])],
                  model,
                  told,
                ),
              )
            }
            onPick={(item) => onAsk({ ...query, [place]: [...(query[place] ?? []), item] })}
            form={{
              text: 'attribute by a formula …',
              body: (close) => (
                <SpotAttributeForm
                  value={undefined}
                  onSave={(spot) => {
                    onAsk({ ...query, [place]: [...(query[place] ?? []), spot] });
                    close();
                  }}
                />
              ),
            }}
          />
        </span>
      ))}
      <span>where</span>
      {filters.map((f, i) => (
        <ConditionPart
          key={i}
          filter={f}
          onChange={(next) => onAsk({ ...query, filters: replaced(filters, i, next) })}
          onRemove={() => onAsk({ ...query, filters: without(filters, i) })}
        />
      ))}
      <Picker
        label="Add a condition"
        options={() => titled(conditionOptions(attributes, query, model, told))}
        onPick={(filter) => onAsk({ ...query, filters: [...filters, filter] })}
      />
    </>
  );
}

function MeasureParts({ query, onAsk }: Omit<QuestionProps, 'perspective'>) {
  const { isReader } = useModel();
  const said = useSaid();
  const { keepMeasure } = useKeep(query, onAsk);
  return query.measures.map((m, i) => (
    <Part
      key={`${i} ${measureText(m)}`}
      text={said.measure(m)}
      onRemove={() => onAsk({ ...query, measures: without(query.measures, i), sort: [] })}
      editor={
        isSpotMeasure(m)
          ? (close) => (
              <>
                <SpotMeasureForm
                  value={m}
                  onSave={(spot) => {
                    onAsk({ ...query, measures: replaced(query.measures, i, spot) });
                    close();
                  }}
                />
                {!isReader && <Keep text="Save as a measure" onKeep={() => void keepMeasure(m)} />}
              </>
            )
          : undefined
      }
    />
  ));
}

function AttributeParts({
  place,
  query,
  onAsk,
}: Omit<QuestionProps, 'perspective'> & { place: 'by' | 'across' }) {
  const { model, isReader } = useModel();
  const said = useSaid();
  const { keepAttribute } = useKeep(query, onAsk);
  const items = query[place] ?? [];
  return items.map((item, i) => (
    <Part
      key={itemText(item, model)}
      text={said.item(item)}
      onRemove={() => onAsk({ ...query, [place]: without(items, i), sort: [] })}
      onLeft={
        i > 0
          ? () => onAsk({ ...query, [place]: replaced(replaced(items, i - 1, item), i, items[i - 1]!) })
          : undefined
      }
      editor={
        isSpotAttribute(item)
          ? (close) => (
              <>
                <SpotAttributeForm
                  value={item}
                  onSave={(spot) => {
                    onAsk({ ...query, [place]: replaced(items, i, spot) });
                    close();
                  }}
                />
                {!isReader && (
                  <Keep text={`Save as a column of ${item.of}`} onKeep={() => void keepAttribute(item)} />
                )}
              </>
            )
          : undefined
      }
    />
  ));
}

/** An option as readers know it: under its title, with its description. */
function inTitles<T>(option: Option<T>, said: Said): Option<T> {
  const { told, text, group } = option;
  return {
    ...option,
    text: told?.title ?? (text.includes('.') ? said.column(text) : text),
    group: said.table(group),
    told: told?.description === undefined ? undefined : { description: told.description },
  };
}

const Keep = ({ text, onKeep }: { text: string; onKeep: () => void }) => (
  <p className="border-t border-rule p-3">
    <button className="btn" onClick={onKeep}>
      {text}
    </button>
  </p>
);
