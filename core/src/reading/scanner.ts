/** The fields of one record in the scanner's buffer; valid only until the handler returns. */
export interface FieldSpans {
  bytes: Uint8Array;
  /** Field i is bytes[starts[i]] up to, not including, bytes[ends[i]]; quotes around it are left out. */
  starts: Int32Array;
  ends: Int32Array;
  /** 1 where the field holds doubled quotes that stand for one. */
  doubled: Uint8Array;
  count: number;
  /** The file's line on which the record starts, from 1. */
  line: number;
  /** What is wrong with the record's quoting, if anything. */
  flaw?: string;
}

/** The longest record; beyond it a quote was probably never closed. */
export const LARGEST_RECORD_BYTES = 64 << 20;

const LF = 10;
const CR = 13;
const CHUNK = 256;

/**
 * Cuts delimited text (RFC 4180, any one-byte delimiter and quote) into records, from chunks of bytes.
 * Fields are spans of bytes: no text is made here. A quote counts only at the start of a field; elsewhere it
 * is itself.
 */
export class Scanner {
  private rest: Uint8Array = new Uint8Array(0);
  private line = 1;
  private started = false;
  private readonly spans: FieldSpans;

  constructor(
    private readonly delimiter: number,
    private readonly quote: number,
    private readonly newline: number,
    private readonly onRecord: (spans: FieldSpans) => void,
  ) {
    this.spans = {
      bytes: this.rest,
      starts: new Int32Array(CHUNK),
      ends: new Int32Array(CHUNK),
      doubled: new Uint8Array(CHUNK),
      count: 0,
      line: 1,
    };
  }

  /**
   * Takes the next bytes of the file. Throws RangeError where one record is longer than
   * `LARGEST_RECORD_BYTES`.
   */
  push(chunk: Uint8Array): void {
    let bytes = chunk;
    if (this.rest.length > 0) {
      bytes = new Uint8Array(this.rest.length + chunk.length);
      bytes.set(this.rest);
      bytes.set(chunk, this.rest.length);
    }
    if (!this.started) {
      if (bytes.length < 3) {
        this.rest = bytes;
        return;
      }
      this.started = true;
      if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) bytes = bytes.subarray(3);
    }
    const end = this.scan(bytes, false);
    this.rest = bytes.slice(end);
    if (this.rest.length > LARGEST_RECORD_BYTES) {
      throw new RangeError(
        `the record that starts on line ${this.line} is longer than 64 MB: is a quote not closed?`,
      );
    }
  }

  /** Tells that the file has ended. */
  end(): void {
    if (!this.started && this.rest[0] === 0xef && this.rest[1] === 0xbb && this.rest[2] === 0xbf)
      this.rest = this.rest.subarray(3);
    this.scan(this.rest, true);
    this.rest = new Uint8Array(0);
  }

  /** Scans whole records and returns where the first unfinished one starts. */
  private scan(bytes: Uint8Array, last: boolean): number {
    const { delimiter, quote, newline, spans } = this;
    const length = bytes.length;
    let recordStart = 0;
    let at: number;
    spans.bytes = bytes;
    while (recordStart < length) {
      let count = 0;
      let lines = 0;
      let flaw: string | undefined;
      let done = false;
      at = recordStart;
      while (!done) {
        if (count === spans.starts.length) this.widen();
        if (quote !== 0 && at < length && bytes[at] === quote) {
          const start = ++at;
          let doubled = 0;
          for (;;) {
            while (at < length && bytes[at] !== quote) if (bytes[at++] === newline) lines++;
            if (at >= length) break;
            if (at + 1 >= length && !last) return recordStart; // the next byte decides what the quote means
            if (bytes[at + 1] !== quote) break;
            doubled = 1;
            at += 2;
          }
          if (at >= length) {
            if (!last) return recordStart;
            flaw = 'a quote is not closed';
          }
          spans.starts[count] = start;
          spans.ends[count] = at;
          spans.doubled[count++] = doubled;
          at++;
          // Between the closing quote and the delimiter nothing may stand but a carriage return.
          const tail = at;
          while (at < length && bytes[at] !== delimiter && bytes[at] !== newline) at++;
          if (at >= length && !last) return recordStart;
          if (at > tail && !(at === tail + 1 && bytes[tail] === CR)) flaw ??= 'text after a closing quote';
        } else {
          const start = at;
          while (at < length && bytes[at] !== delimiter && bytes[at] !== newline) at++;
          if (at >= length && !last) return recordStart;
          let end = at;
          if (
            newline === LF &&
            end > start &&
            bytes[end - 1] === CR &&
            (at >= length || bytes[at] === newline)
          )
            end--;
          spans.starts[count] = start;
          spans.ends[count] = end;
          spans.doubled[count++] = 0;
        }
        if (at >= length || bytes[at] === newline) {
          done = true;
          lines++;
        }
        at++;
      }
      spans.count = count;
      spans.line = this.line;
      spans.flaw = flaw;
      this.line += lines;
      recordStart = Math.min(at, length);
      this.onRecord(spans);
    }
    return recordStart;
  }

  private widen(): void {
    const { spans } = this;
    const grow = <T extends Int32Array | Uint8Array>(old: T, made: T): T => {
      made.set(old);
      return made;
    };
    spans.starts = grow(spans.starts, new Int32Array(spans.starts.length * 2));
    spans.ends = grow(spans.ends, new Int32Array(spans.ends.length * 2));
    spans.doubled = grow(spans.doubled, new Uint8Array(spans.doubled.length * 2));
  }
}

const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** The text of field `index`, doubled quotes made single. */
export function fieldText(spans: FieldSpans, index: number, quote: string): string {
  const text = decoder.decode(spans.bytes.subarray(spans.starts[index], spans.ends[index]));
  return spans.doubled[index] ? text.replaceAll(quote + quote, quote) : text;
}
