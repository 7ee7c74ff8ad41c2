import { useState } from 'react';

/** A text that is saved when it is left or Enter is pressed; Escape takes it back. */
export function TextField({
  id,
  label,
  value,
  placeholder,
  onSave,
}: {
  id?: string;
  label?: string;
  value: string;
  placeholder?: string;
  /** What gives false has not been saved: the field goes back to what it was. */
  onSave: (value: string) => void | Promise<boolean>;
}) {
  const [text, setText] = useState(value);
  const [known, setKnown] = useState(value);
  if (known !== value) {
    setKnown(value);
    setText(value);
  }
  const save = async () => {
    if (text.trim() !== value && (await onSave(text.trim())) === false) setText(value);
  };
  return (
    <input
      {...(id ? { id } : {})}
      {...(label ? { 'aria-label': label } : {})}
      className="field w-full"
      value={text}
      placeholder={placeholder}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => void save()}
      onKeyDown={(e) => {
        if (e.key === 'Enter') e.currentTarget.blur();
        if (e.key === 'Escape') setText(value);
      }}
    />
  );
}
