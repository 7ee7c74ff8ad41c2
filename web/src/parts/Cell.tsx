import { formatValue } from './format.ts';

type Json = null | boolean | number | string;

/** Whether a value is shown as a link: an address of the web or of mail, and nothing that could run. */
export const isLink = (value: unknown): value is string =>
  typeof value === 'string' && /^(https?:\/\/|mailto:)\S+$/i.test(value);

/** A cell of rows, written by its type: null is told from the empty text, an address can be followed. */
export function Cell({ value, type }: { value: Json; type: string }) {
  if (value === null) return <i className="font-normal text-soft">null</i>;
  if (!isLink(value)) return formatValue(value, type);
  return (
    <a
      className="underline decoration-rule-strong"
      href={value}
      target="_blank"
      rel="noreferrer noopener"
      title="Opens in another tab"
    >
      {value}
    </a>
  );
}
