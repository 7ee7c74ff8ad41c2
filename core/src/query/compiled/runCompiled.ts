import type { Codes } from '../../columns/index.ts';
import type { Grouping, ScanShape } from './emitScan.ts';
import {
  countsItself,
  emitScan,
  HASH_ENTRY,
  HASH_FACTOR,
  operandsOf,
  recordOf,
  shapeKey,
  SLOT,
} from './emitScan.ts';
import type { Field, FieldResult, ScanPlan, ScanResult } from './plan.ts';
import { isDouble } from './plan.ts';
import { lookForInterruption } from '../interruption.ts';

/**
 * Rows of a call: their inputs keep within the second-level cache, and a call that begins anew runs the
 * better code as soon as there is one.
 */
const BLOCK_ROWS = 1 << 14;
/** Up to so many groups a record each is laid out; beyond, groups are numbered as they come. */
const MOST_RECORDS = 1 << 20;
/** Whether groups are numbered as they come: there are too many combinations for a record each. */
export const isHashed = (plan: ScanPlan): boolean => plan.size > MOST_RECORDS;

/** Where between these shares of rows pass, no branch can be foreseen. */
const [FEW, MOST] = [0.15, 0.85];
/** A table of groups is laid out for so many at most beforehand. */
const MOST_EXPECTED = 1 << 23;
const PAGE = 1 << 16;
const MOST_MEMORY = 2 ** 32 - PAGE;

interface Compiled {
  readonly module: WebAssembly.Module;
  readonly slots: readonly string[];
}

/** Modules by shape. A session asks questions of few shapes; the oldest are given up. */
const modules = new Map<string, Compiled>();
const MOST_MODULES = 256;

function moduleOf(shape: ScanShape): Compiled {
  const key = shapeKey(shape);
  let made = modules.get(key);
  if (!made) {
    const { bytes, slots } = emitScan(shape);
    made = { module: new WebAssembly.Module(bytes), slots };
    if (modules.size >= MOST_MODULES) modules.delete(modules.keys().next().value!);
    modules.set(key, made);
  }
  return made;
}

/** A memory in which things are laid one after the other, each at a multiple of 8 bytes. */
class Layout {
  private end = 0;

  take(bytes: number): number {
    const at = this.end;
    this.end = Math.ceil((at + bytes) / 8) * 8;
    return at;
  }

  get size(): number {
    return this.end;
  }
}

const bytesOf = (array: ArrayBufferView): Uint8Array =>
  new Uint8Array(array.buffer as ArrayBuffer, array.byteOffset, array.byteLength);

/**
 * Runs a plan by code that is made for its shape. `groups` says whether the group of each row is wanted too:
 * its place in `ScanResult.groups`, or -1. Throws RangeError where tables and records do not fit into the 4
 * GB of a memory.
 */
export function runCompiled(
  plan: ScanPlan,
  wanted: { groups: boolean } = { groups: false },
): ScanResult & { readonly places?: Int32Array } {
  const counted = wanted.groups ? undefined : withoutReading(plan);
  return counted ?? new Run(plan, wanted.groups).run();
}

/** Where nothing parts rows and only they are counted, none has to be read; undefined for all other plans. */
function withoutReading({ rowCount, probes, fields }: ScanPlan): ScanResult | undefined {
  if (probes.length > 0 || !fields.every(({ kind, only }) => kind === 'rows' && !only)) return undefined;
  const all = () => Float64Array.from(rowCount > 0 ? [rowCount] : []);
  return {
    groups: new Float64Array(rowCount > 0 ? 1 : 0),
    rows: all(),
    fields: fields.map(() => ({ kind: 'counts', counts: all() })),
  };
}

/** What is wanted of a plan: its groups, or the rows of one of them. */
export type ScanWork =
  | { readonly kind: 'groups'; readonly plan: ScanPlan }
  | { readonly kind: 'rows'; readonly plan: ScanPlan; readonly group: number };

/** Does what is wanted of a plan, alone. */
export function workOn<Work extends ScanWork>(work: Work): ResultOf<Work>;
export function workOn(work: ScanWork): ScanResult | Uint32Array {
  return work.kind === 'groups' ? runCompiled(work.plan) : new Run(work.plan, true).rowsOf(work.group);
}

/** Groups, or rows ascending. Of a plan that is hashed no rows are told. */
export type ResultOf<Work extends ScanWork> = Work extends { kind: 'rows' } ? Uint32Array : ScanResult;

class Run {
  private readonly grouping: Grouping;
  private readonly probes: readonly ScanPlan['probes'][number][];
  private readonly record: { size: number; at: readonly number[] };
  private readonly compiled: Compiled;
  private readonly memory: WebAssembly.Memory;
  private readonly inputsAt: readonly number[];
  private readonly outAt: number;
  private readonly fixedEnd: number;
  private tableAt = 0;
  private recordsAt = 0;
  private places = 1 << 16;
  /** Rows that have been worked on. */
  private seen = 0;

  constructor(
    private readonly plan: ScanPlan,
    private readonly writesGroups: boolean,
  ) {
    // The probe that leaves out most comes first.
    this.probes = [...plan.probes].sort((a, b) => a.passes - b.passes);
    const passes = this.probes.reduce((share, probe) => share * probe.passes, 1);
    this.grouping = isHashed(plan) ? 'hash' : passes > FEW && passes < MOST ? 'mask' : 'branch';
    const shape: ScanShape = {
      grouping: this.grouping,
      writesGroups,
      widths: plan.inputs.map((input) => input.BYTES_PER_ELEMENT),
      probes: this.probes.map(({ input, adds, passes: share }) => ({
        input,
        mapped: adds !== undefined,
        rejects: share < 1,
      })),
      fields: plan.fields,
    };
    this.record = recordOf(plan.fields);
    this.compiled = moduleOf(shape);
    const tables = this.tables();
    const layout = new Layout();
    layout.take(this.compiled.slots.length * SLOT);
    const addresses = tables.map(({ bytes }) => layout.take(bytes.length));
    this.inputsAt = plan.inputs.map((input) =>
      layout.take(Math.min(BLOCK_ROWS, plan.rowCount) * input.BYTES_PER_ELEMENT),
    );
    this.outAt = layout.take(writesGroups ? BLOCK_ROWS * 4 : 0);
    const bits = plan.fields.map((field) =>
      field.kind === 'distinct' ? layout.take((((plan.size + 1) * field.width) >>> 3) + 8) : 0,
    );
    this.fixedEnd = layout.size;
    this.memory = new WebAssembly.Memory({ initial: 1 });
    this.reach(this.fixedEnd);
    tables.forEach(({ bytes }, k) => new Uint8Array(this.memory.buffer).set(bytes, addresses[k]!));
    this.placeRecords();
    if (writesGroups) this.fill('out', this.outAt);
    plan.inputs.forEach((_, k) => this.fill(`input ${k}`, this.inputsAt[k]!));
    tables.forEach(({ slot }, k) => this.fill(slot, addresses[k]!));
    this.probes.forEach(({ stride, adds }, p) => {
      if (adds === undefined || this.grouping === 'hash') this.fill(`stride ${p}`, stride);
    });
    if (this.grouping === 'mask') this.fill('rejected', plan.size);
    plan.fields.forEach((field, f) => {
      if (field.kind === 'distinct') {
        this.fill(`width ${f}`, field.width);
        this.fill(`bits ${f}`, bits[f]!);
      }
      if (field.kind === 'sum') this.fillOperands(field, f);
    });
  }

  /** Where a slot lies in the header. Throws for one that the code lacks: its number would be lost. */
  private addressOf(name: string): number {
    const slot = this.compiled.slots.indexOf(name);
    if (slot < 0) throw new Error(`the compiled scan has no slot "${name}"`);
    return slot * SLOT;
  }

  /** Puts a number into a slot as a 64-bit integer, of which 32-bit locals read the lower half. */
  private fill(name: string, value: number | bigint): void {
    new DataView(this.memory.buffer).setBigInt64(
      this.addressOf(name),
      BigInt.asIntN(64, BigInt(value)),
      true,
    );
  }

  private fillOperands(field: Extract<Field, { kind: 'sum' }>, f: number): void {
    operandsOf(field.of).forEach((e, k) => {
      const name = `value ${f} ${k}`;
      // The first value has code 1.
      if (e.kind === 'integer' && !e.values) this.fill(name, e.first - 1);
      if (e.kind === 'integer-constant') this.fill(name, e.value);
      const double = e.kind === 'double-constant' ? e.value : e.kind === 'to-double' ? e.divisor : undefined;
      if (double !== undefined)
        new DataView(this.memory.buffer).setFloat64(this.addressOf(name), double, true);
    });
  }

  /** The tables that the code looks things up in, by the slot that has their address. */
  private tables(): { slot: string; bytes: Uint8Array }[] {
    const found: { slot: string; bytes: Uint8Array }[] = [];
    const note = (slot: string, array: ArrayBufferView) => void found.push({ slot, bytes: bytesOf(array) });
    const strides = this.grouping !== 'hash';
    this.probes.forEach(({ adds, stride }, p) => {
      if (adds) note(`adds ${p}`, strides && stride !== 1 ? byStride(adds, stride) : adds);
    });
    this.plan.fields.forEach((field, f) => {
      if (field.only) note(`passes ${f}`, field.only.passes);
      if (field.kind === 'filled' && field.filled) note(`table ${f}`, field.filled);
      if ('codes' in field && field.codes) note(`table ${f}`, Uint32Array.from(field.codes));
      if (field.kind === 'sum')
        operandsOf(field.of).forEach((e, k) => {
          if ((e.kind === 'integer' || e.kind === 'double') && e.values) note(`value ${f} ${k}`, e.values);
        });
    });
    return found;
  }

  private reach(bytes: number): void {
    if (bytes > MOST_MEMORY) throw new RangeError('the scan needs more than 4 GB of memory');
    const missing = Math.ceil((bytes - this.memory.buffer.byteLength) / PAGE);
    if (missing > 0) this.memory.grow(missing);
  }

  /** Lays out the records of groups, behind the table of groups where they are hashed. */
  private placeRecords(): void {
    const hashed = this.grouping === 'hash';
    this.tableAt = this.fixedEnd;
    this.recordsAt = this.fixedEnd + (hashed ? this.places * HASH_ENTRY : 0);
    this.reach(this.recordsAt + (hashed ? this.places / 2 : this.plan.size + 1) * this.record.size);
    this.fill('records', this.recordsAt);
    if (!hashed) return;
    this.fill('table', this.tableAt);
    this.fill('places', this.places - 1);
    this.fill('shift', 64 - Math.log2(this.places));
  }

  /** How many groups a hashed run has met. */
  private count(): number {
    return new DataView(this.memory.buffer).getUint32(this.compiled.slots.indexOf('count') * SLOT, true);
  }

  /** Makes room for as many new groups as a block may bring: the table is never more than half full. */
  private makeRoom(rows: number): void {
    const count = this.count();
    if (2 * (count + rows) <= this.places) return;
    const keys = this.keys(count);
    const records = new Uint8Array(this.memory.buffer).slice(
      this.recordsAt,
      this.recordsAt + count * this.record.size,
    );
    const usedEnd = this.recordsAt + count * this.record.size;
    // As many groups as the rows so far let expect: a table that grows step by step is filled anew each time.
    const expected = Math.min(this.plan.size, (count / Math.max(1, this.seen)) * this.plan.rowCount);
    const wanted = 2 * (Math.min(expected, MOST_EXPECTED) + count + rows);
    while (this.places < wanted) this.places *= 2;
    this.placeRecords();
    const bytes = new Uint8Array(this.memory.buffer);
    bytes.fill(0, this.tableAt, usedEnd);
    bytes.set(records, this.recordsAt);
    const table = new DataView(this.memory.buffer);
    const shift = BigInt(64 - Math.log2(this.places));
    keys.forEach((plain, number) => {
      const key = BigInt(plain);
      let place = Number(BigInt.asUintN(64, key * HASH_FACTOR) >> shift);
      while (table.getBigInt64(this.tableAt + place * HASH_ENTRY, true) !== 0n)
        place = (place + 1) & (this.places - 1);
      table.setBigInt64(this.tableAt + place * HASH_ENTRY, key, true);
      table.setUint32(this.tableAt + place * HASH_ENTRY + 8, number, true);
    });
  }

  /** Keys by number; a key is the group's number + 1, which a double holds. */
  private keys(count: number): Float64Array {
    const keys = new Float64Array(count);
    // An entry is a key of 64 bits and a number of 32, of four words.
    const words = new Uint32Array(this.memory.buffer, this.tableAt, this.places * 4);
    for (let at = 0; at < words.length; at += 4) {
      const key = words[at]! + words[at + 1]! * 2 ** 32;
      if (key !== 0) keys[words[at + 2]!] = key;
    }
    return keys;
  }

  run(): ScanResult & { readonly places?: Int32Array } {
    const { plan } = this;
    const places = this.writesGroups ? new Int32Array(plan.rowCount) : undefined;
    this.eachBlock((from, rows) => places?.set(new Int32Array(this.memory.buffer, this.outAt, rows), from));
    const { groups, numbers } = this.found();
    if (places && this.grouping !== 'hash') {
      const placeOf = new Int32Array(plan.size + 1).fill(-1);
      numbers.forEach((number, k) => (placeOf[number] = k));
      for (let row = 0; row < places.length; row++)
        if (places[row]! >= 0) places[row] = placeOf[places[row]!]!;
    }
    const rows = this.words(numbers, 0);
    return {
      groups,
      rows,
      fields: plan.fields.map((field, f) => this.result(field, this.record.at[f]!, numbers, rows)),
      ...(places ? { places } : {}),
    };
  }

  rowsOf(group: number): Uint32Array {
    const found: number[] = [];
    this.eachBlock((from, rows) =>
      appendPlaces(new Int32Array(this.memory.buffer, this.outAt, rows), group, from, found),
    );
    return Uint32Array.from(found);
  }

  /** Brings blocks of rows over and works on them; `then` is called after each. */
  private eachBlock(then: (from: number, rows: number) => void): void {
    const { plan } = this;
    const instance = new WebAssembly.Instance(this.compiled.module, { env: { memory: this.memory } });
    const step = instance.exports.run as (rows: number) => void;
    for (let from = 0; from < plan.rowCount; from += BLOCK_ROWS) {
      const rows = Math.min(BLOCK_ROWS, plan.rowCount - from);
      lookForInterruption();
      if (this.grouping === 'hash') this.makeRoom(rows);
      plan.inputs.forEach((input, k) => copyIn(this.memory, this.inputsAt[k]!, input, from, rows));
      step(rows);
      this.seen += rows;
      then(from, rows);
    }
  }

  /** Groups that have rows, and the numbers of their records. */
  private found(): { groups: Float64Array; numbers: Uint32Array } {
    if (this.grouping === 'hash') {
      const groups = this.keys(this.count());
      const numbers = new Uint32Array(groups.length);
      for (let g = 0; g < groups.length; g++) {
        groups[g]!--;
        numbers[g] = g;
      }
      return { groups, numbers };
    }
    const records = new Uint32Array(this.memory.buffer, this.recordsAt);
    const step = this.record.size / 4;
    const numbers = new Uint32Array(this.plan.size);
    let count = 0;
    for (let g = 0; g < this.plan.size; g++) if (records[g * step]! > 0) numbers[count++] = g;
    const found = numbers.slice(0, count);
    return { groups: new Float64Array(found), numbers: found };
  }

  /** A word of 32 bits of some records. */
  private words(numbers: Uint32Array, at: number): Float64Array {
    const records = new Uint32Array(this.memory.buffer, this.recordsAt + at);
    const step = this.record.size / 4;
    const words = new Float64Array(numbers.length);
    for (let k = 0; k < numbers.length; k++) words[k] = records[numbers[k]! * step]!;
    return words;
  }

  private result(field: Field, at: number, numbers: Uint32Array, rows: Float64Array): FieldResult {
    switch (field.kind) {
      case 'rows':
        return { kind: 'counts', counts: field.only ? this.words(numbers, at) : rows };
      case 'filled':
      case 'distinct':
        return { kind: 'counts', counts: this.words(numbers, at) };
      case 'least':
        return {
          kind: 'codes',
          codes: Uint32Array.from(this.words(numbers, at), (word) => (word === 0 ? 0 : 2 ** 32 - word)),
        };
      case 'greatest':
        return { kind: 'codes', codes: Uint32Array.from(this.words(numbers, at)) };
      case 'sum': {
        const step = this.record.size / 8;
        const kept = isDouble(field.of)
          ? new Float64Array(this.memory.buffer, this.recordsAt + at)
          : new BigInt64Array(this.memory.buffer, this.recordsAt + at);
        const sums = isDouble(field.of)
          ? new Float64Array(numbers.length)
          : new BigInt64Array(numbers.length);
        for (let k = 0; k < numbers.length; k++) sums[k] = kept[numbers[k]! * step]!;
        return { kind: 'sums', sums, counts: countsItself(field) ? this.words(numbers, at + 8) : rows };
      }
    }
  }
}

function copyIn(memory: WebAssembly.Memory, at: number, input: Codes, from: number, rows: number): void {
  const part = input.subarray(from, from + rows);
  new Uint8Array(memory.buffer, at, part.byteLength).set(bytesOf(part));
}

function byStride(adds: Int32Array, stride: number): Int32Array {
  const made = new Int32Array(adds.length);
  for (let k = 0; k < made.length; k++) made[k] = adds[k]! < 0 ? -1 : adds[k]! * stride;
  return made;
}

/** Adds to `found` where a block has a group. */
function appendPlaces(block: Int32Array, group: number, from: number, found: number[]): void {
  for (let i = 0; i < block.length; i++) if (block[i] === group) found.push(from + i);
}
