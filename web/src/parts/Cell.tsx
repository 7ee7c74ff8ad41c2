import { cellText } from './text.ts';

type Json = null | boolean | number | string;

/** Whether a value is shown as a link: an address of the web or of mail, and nothing that could run. */
export const isLink = (value: unknown): value is string => typeof value === 'string' && /^(https?:\/\/|mailto:)\S+$/i.test(value);

/** A cell of rows: null is told from the empty text, an address can be followed. */
export function Cell({ value }: { value: Json }) {
  if (value === null) return <i className="font-normal text-soft">null</i>;
  if (!isLink(value)) return cellText(value);
  return (
    <a className="underline decoration-rule-strong" href={value} target="_blank" rel="noreferrer noopener" title="Opens in another tab">
      {value}
    </a>
  );
}
