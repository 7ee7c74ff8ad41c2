/**
 * A text as a spreadsheet takes it for a text: one that begins like a formula gets an apostrophe in front.
 */
export const forSpreadsheet = (text: string): string => (/^[=+\-@\t\r]/.test(text) ? `'${text}` : text);

/** One line of delimited text (RFC 4180, LF): null is the empty field, quotes only where they are needed. */
export function csvLine(values: readonly (null | boolean | number | string)[], delimiter = ','): string {
  const field = (value: null | boolean | number | string): string => {
    const text = value === null ? '' : String(value);
    return /["\r\n]/.test(text) || text.includes(delimiter) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return `${values.map(field).join(delimiter)}\n`;
}
