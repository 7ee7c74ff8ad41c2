/** A statement of a SQL file, with the line on which it begins, from 1. */
export interface SqlStatement {
  readonly text: string;
  readonly line: number;
}

/**
 * The statements of a SQL text, without the semicolons between them: those in quotes, in brackets of names,
 * in comments and between dollar tags end nothing. Comments before a statement are left out.
 */
export function statementsOf(sql: string): SqlStatement[] {
  const found: SqlStatement[] = [];
  let [from, line, at] = [0, 1, 0];
  const take = (to: number) => {
    const text = sql.slice(from, to);
    const start = /^(\s+|--[^\n]*(\n|$)|\/\*[\s\S]*?\*\/)*/.exec(text)![0];
    const statement = text.slice(start.length).trim();
    if (statement !== '') found.push({ text: statement, line: line + (start.match(/\n/g)?.length ?? 0) });
    line += text.match(/\n/g)?.length ?? 0;
  };
  while (at < sql.length) {
    const rest = SKIPPED.exec(
      sql.slice(at, at + 1) === '$' || /['"`[\-/]/.test(sql[at]!) ? sql.slice(at) : '',
    );
    if (rest) at += rest[0].length;
    else if (sql[at] === ';') {
      take(at);
      from = ++at;
    } else at++;
  }
  take(sql.length);
  return found;
}

/** What a semicolon is nothing in; what is not closed goes to the end. */
const SKIPPED =
  /^('(?:[^']|'')*(?:'|$)|"(?:[^"]|"")*(?:"|$)|`[^`]*(?:`|$)|\[[^\]\n]*\]|--[^\n]*|\/\*[\s\S]*?(?:\*\/|$)|(\$\w*\$)[\s\S]*?(?:\2|$))/;
