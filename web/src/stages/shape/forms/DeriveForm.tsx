import { useState } from 'react';
import { BandsEditor } from '../BandsEditor.tsx';
import { Row } from '../fields.tsx';
import { FormulaField } from './FormulaField.tsx';
import type { StepFormProps } from './stepFormProps.ts';

export function DeriveForm({ value, columns, onChange }: StepFormProps<'derive'>) {
  const [bands, setBands] = useState(false);
  return (
    <div className="flex flex-col gap-2">
      <Row label="column">
        <input
          className="field w-[180px]"
          aria-label="Name of the column"
          value={value.name}
          onChange={(e) => onChange({ ...value, name: e.target.value })}
        />
      </Row>
      <Row label="is">
        <FormulaField
          label="Formula"
          value={value.formula}
          columns={columns}
          onChange={(formula) => onChange({ ...value, formula })}
        />
      </Row>
      {bands ? (
        <BandsEditor
          columns={columns}
          onWrite={(formula, name) => {
            onChange({ name: value.name === 'column' ? name : value.name, formula });
            setBands(false);
          }}
          onClose={() => setBands(false)}
        />
      ) : (
        <button className="btn self-start" onClick={() => setBands(true)}>
          Classify into bands …
        </button>
      )}
    </div>
  );
}
