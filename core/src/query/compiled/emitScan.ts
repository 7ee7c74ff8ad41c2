import { Assembler, moduleBytes, Type } from './assembler.ts';
import type { Expression, Field } from './plan.ts';
import { isDouble } from './plan.ts';

/**
 * How rows find their group: `branch` leaves a row at the first probe that rejects it, `mask` sums up all
 * probes and sends what is rejected to one record too many (better where about half of the rows pass, since
 * no branch can be foreseen), `hash` numbers groups as they come.
 */
export type Grouping = 'branch' | 'mask' | 'hash';

/**
 * What the code of a scan depends on. Plans of one shape differ by numbers in memory only, and share their
 * module.
 */
export interface ScanShape {
  readonly grouping: Grouping;
  readonly writesGroups: boolean;
  /** Bytes of an entry, by input. */
  readonly widths: readonly number[];
  readonly probes: readonly { readonly input: number; readonly mapped: boolean; readonly rejects: boolean }[];
  readonly fields: readonly Field[];
}

/** Bytes of a slot of the header, which holds addresses, strides and constants. */
export const SLOT = 8;
export const HASH_ENTRY = 16;
/**
 * Fibonacci hashing: 2^64 over the golden ratio, made odd. Knuth, The Art of Computer Programming, vol. 3,
 * 6.4.
 */
export const HASH_FACTOR = 0x9e3779b97f4a7c15n;

/** Where each number of a plan lies in the header. The executor fills the slots, the code reads them. */
class Slots {
  readonly names: string[] = [];

  of(name: string): number {
    const known = this.names.indexOf(name);
    return known >= 0 ? known : this.names.push(name) - 1;
  }
}

/** Where a field keeps its numbers in a group's record; the first word counts rows. */
export function recordOf(fields: readonly Field[]): { size: number; at: readonly number[] } {
  let size = 8;
  const at = fields.map((field) => {
    const here = size;
    size += field.kind === 'rows' && !field.only ? 0 : field.kind === 'sum' ? 16 : 8;
    return here;
  });
  return { size, at };
}

/** Whether a sum counts its values itself: else they are the group's rows. */
export const countsItself = (field: Extract<Field, { kind: 'sum' }>): boolean =>
  field.only !== undefined || isNullable(field.of);

function isNullable(e: Expression): boolean {
  switch (e.kind) {
    case 'integer':
    case 'double':
      return e.nullable;
    case 'integer-constant':
    case 'double-constant':
      return false;
    case 'integer-operation':
      return isNullable(e.left) || isNullable(e.right);
    case 'to-double':
      return isNullable(e.operand);
    default:
      return true; // may leave the finite
  }
}

/** The shape as a text without its numbers. */
export const shapeKey = (shape: ScanShape): string =>
  JSON.stringify(shape, (name, value: unknown) =>
    name === 'first' || name === 'divisor' || name === 'width' || name === 'value'
      ? undefined
      : ArrayBuffer.isView(value)
        ? true
        : value,
  );

/**
 * Emits the module of a shape. Its `run(n)` takes n rows, whose inputs the executor has laid at their
 * addresses.
 */
export function emitScan(shape: ScanShape): { bytes: Uint8Array<ArrayBuffer>; slots: readonly string[] } {
  const emitter = new Emitter(shape);
  return { bytes: moduleBytes(emitter.emit()), slots: emitter.slots.names };
}

class Emitter {
  readonly slots = new Slots();
  private readonly code = new Assembler(1);
  private readonly held = new Map<string, { local: number; type: 'i32' | 'i64' }>();
  private readonly loaded = new Map<number, number>();
  private readonly group: number;
  private readonly record: number;
  private readonly key: number;
  private readonly found: number;
  private readonly place: number;
  private readonly isNull: number;
  private readonly double: number;

  constructor(private readonly shape: ScanShape) {
    const { code } = this;
    this.group = code.local(Type.i32);
    this.record = code.local(Type.i32);
    this.key = code.local(Type.i64);
    this.found = code.local(Type.i64);
    this.place = code.local(Type.i32);
    this.isNull = code.local(Type.i32);
    this.double = code.local(Type.f64);
  }

  /** Has a local hold a slot's number for the whole run. */
  private hold(name: string, type: 'i32' | 'i64'): void {
    if (this.held.has(name)) return;
    this.slots.of(name);
    this.held.set(name, { local: this.code.local(Type[type]), type });
  }

  /** The local that holds a slot's number. Throws for one that is not held: it would read as 0. */
  private slot(name: string, type: 'i32' | 'i64' = 'i32'): number {
    const held = this.held.get(name);
    if (held?.type !== type) throw new Error(`the slot "${name}" is not held as ${type}`);
    return held.local;
  }

  emit(): Assembler {
    const { code, shape } = this;
    for (const { name, type } of slotNames(shape)) this.hold(name, type);
    for (const [name, { local, type }] of this.held) {
      code.i32(this.slots.of(name) * SLOT);
      code.at(type === 'i64' ? 'i64_load' : 'i32_load').set(local);
    }
    code.loop(() => {
      code.block(() => this.row());
      shape.widths.forEach((width, k) =>
        code
          .get(this.slot(`input ${k}`))
          .i32(width)
          .op('i32_add')
          .set(this.slot(`input ${k}`)),
      );
      if (shape.writesGroups) code.get(this.slot('out')).i32(4).op('i32_add').set(this.slot('out'));
      code.get(0).i32(1).op('i32_sub').tee(0).branchIf(0);
    });
    return code;
  }

  private row(): void {
    const { code, shape } = this;
    if (shape.writesGroups && shape.grouping !== 'mask') code.get(this.slot('out')).i32(-1).at('i32_store');
    if (shape.grouping === 'hash') this.hashed();
    else this.dense();
    if (shape.writesGroups) code.get(this.slot('out')).get(this.group).at('i32_store');
    const { size, at } = recordOf(shape.fields);
    code.get(this.slot('records')).get(this.group).i32(size).op('i32_mul', 'i32_add').tee(this.record);
    code.get(this.record).at('i32_load').i32(1).op('i32_add').at('i32_store');
    shape.fields.forEach((field, f) => this.field(field, f, at[f]!));
  }

  /** Loads an input's entry once per row; must first be asked for where every row comes by. */
  private input(k: number): number {
    let local = this.loaded.get(k);
    if (local === undefined) {
      this.loaded.set(k, (local = this.code.local(Type.i32)));
      const width = this.shape.widths[k]!;
      this.code
        .get(this.slot(`input ${k}`))
        .at(width === 1 ? 'i32_load8_u' : width === 2 ? 'i32_load16_u' : 'i32_load')
        .set(local);
    }
    return local;
  }

  /** Leaves on the stack what table `name` of 4-byte entries holds for an input. */
  private lookedUp(name: string, input: number): void {
    this.code.get(this.slot(name)).get(this.input(input)).i32(2).op('i32_shl', 'i32_add').at('i32_load');
  }

  private dense(): void {
    const { code, shape } = this;
    const masks = shape.grouping === 'mask';
    code.i32(0).set(this.group);
    if (masks) code.i32(0).set(this.place);
    shape.probes.forEach(({ input, mapped, rejects }, p) => {
      this.input(input);
      if (!mapped) {
        code
          .get(this.input(input))
          .get(this.slot(`stride ${p}`))
          .op('i32_mul');
      } else {
        const add = code.local(Type.i32);
        this.lookedUp(`adds ${p}`, input);
        code.set(add);
        if (rejects && masks) code.get(this.place).get(add).op('i32_or').set(this.place);
        else if (rejects) code.get(add).i32(0).op('i32_lt_s').branchIf(0);
        code.get(add);
      }
      code.get(this.group).op('i32_add').set(this.group);
    });
    if (masks)
      code
        .get(this.slot('rejected'))
        .get(this.group)
        .get(this.place)
        .i32(0)
        .op('i32_lt_s', 'select')
        .set(this.group);
  }

  private hashed(): void {
    const { code, shape } = this;
    // Keys begin at 1: a 0 is a free place.
    code.i64(1n).set(this.key);
    shape.probes.forEach(({ input, mapped, rejects }, p) => {
      this.input(input);
      const add = code.local(Type.i32);
      if (mapped) this.lookedUp(`adds ${p}`, input);
      else code.get(this.input(input));
      code.set(add);
      if (rejects) code.get(add).i32(0).op('i32_lt_s').branchIf(0);
      code
        .get(add)
        .op('i64_extend_i32_u')
        .get(this.slot(`stride ${p}`, 'i64'))
        .op('i64_mul')
        .get(this.key)
        .op('i64_add')
        .set(this.key);
    });
    code
      .get(this.key)
      .i64(HASH_FACTOR)
      .op('i64_mul')
      .get(this.slot('shift', 'i64'))
      .op('i64_shr_u', 'i32_wrap_i64')
      .set(this.place);
    const address = code.local(Type.i32);
    code.block(() =>
      code.loop(() => {
        code
          .get(this.slot('table'))
          .get(this.place)
          .i32(4)
          .op('i32_shl', 'i32_add')
          .tee(address)
          .at('i64_load')
          .set(this.found);
        code.get(this.found).get(this.key).op('i64_eq').branchIf(1);
        code
          .get(this.found)
          .op('i64_eqz')
          .when(() => {
            code.get(address).get(this.key).at('i64_store');
            code
              .get(address)
              .i32(this.slots.of('count') * SLOT)
              .at('i32_load')
              .at('i32_store', 8);
            code.i32(this.slots.of('count') * SLOT);
            code
              .i32(this.slots.of('count') * SLOT)
              .at('i32_load')
              .i32(1)
              .op('i32_add')
              .at('i32_store');
            code.branch(2);
          });
        code.get(this.place).i32(1).op('i32_add').get(this.slot('places')).op('i32_and').set(this.place);
        code.branch(0);
      }),
    );
    code.get(address).at('i32_load', 8).set(this.group);
  }

  private field(field: Field, f: number, at: number): void {
    const { code } = this;
    for (const k of inputsOf(field)) this.input(k);
    if (!field.only) return this.kept(field, f, at);
    code
      .get(this.slot(`passes ${f}`))
      .get(this.input(field.only.input))
      .op('i32_add')
      .at('i32_load8_u');
    code.when(() => this.kept(field, f, at));
  }

  private kept(field: Field, f: number, at: number): void {
    const { code } = this;
    switch (field.kind) {
      case 'rows':
        if (field.only) this.addOne(at, () => code.i32(1));
        return;
      case 'filled':
        this.addOne(at, () =>
          field.filled
            ? code
                .get(this.slot(`table ${f}`))
                .get(this.input(field.input))
                .op('i32_add')
                .at('i32_load8_u')
            : code.get(this.input(field.input)).i32(0).op('i32_ne'),
        );
        return;
      case 'sum':
        return this.sum(field, f, at);
      case 'least':
      case 'greatest': {
        // The greatest of what is below zero as an unsigned number is the least code, and null stays 0.
        const code32 = code.local(Type.i32);
        if (field.kind === 'least') code.i32(0);
        this.codeOf(field, f);
        if (field.kind === 'least') code.op('i32_sub');
        code.tee(code32).get(this.record).at('i32_load', at).op('i32_gt_u');
        code.when(() => code.get(this.record).get(code32).at('i32_store', at));
        return;
      }
      case 'distinct':
        return this.distinct(field, f, at);
    }
  }

  private codeOf(field: Extract<Field, { kind: 'least' | 'greatest' | 'distinct' }>, f: number): void {
    if (field.codes) this.lookedUp(`table ${f}`, field.input);
    else this.code.get(this.input(field.input));
  }

  private addOne(at: number, one: () => void): void {
    const { code } = this;
    code.get(this.record).get(this.record).at('i32_load', at);
    one();
    code.op('i32_add').at('i32_store', at);
  }

  private distinct(field: Extract<Field, { kind: 'distinct' }>, f: number, at: number): void {
    const { code } = this;
    const [value, word, bits] = [code.local(Type.i32), code.local(Type.i32), code.local(Type.i32)];
    this.codeOf(field, f);
    code.tee(value).when(() => {
      code
        .get(this.group)
        .get(this.slot(`width ${f}`))
        .op('i32_mul')
        .get(value)
        .op('i32_add')
        .tee(value);
      code
        .i32(5)
        .op('i32_shr_u')
        .i32(2)
        .op('i32_shl')
        .get(this.slot(`bits ${f}`))
        .op('i32_add')
        .tee(word)
        .at('i32_load')
        .set(bits);
      code
        .get(bits)
        .i32(1)
        .get(value)
        .op('i32_shl', 'i32_and', 'i32_eqz')
        .when(() => {
          code.get(word).get(bits).i32(1).get(value).op('i32_shl', 'i32_or').at('i32_store');
          this.addOne(at, () => code.i32(1));
        });
    });
  }

  private sum(field: Extract<Field, { kind: 'sum' }>, f: number, at: number): void {
    const { code } = this;
    const counts = countsItself(field);
    code.i32(0).set(this.isNull);
    this.operands = 0;
    if (isDouble(field.of)) {
      this.expression(field.of, f);
      code.set(this.double);
      // NaN is not equal to itself.
      code.get(this.double).get(this.double).op('f64_eq').get(this.isNull).op('i32_eqz', 'i32_and');
      code.when(() => {
        code
          .get(this.record)
          .get(this.record)
          .at('f64_load', at)
          .get(this.double)
          .op('f64_add')
          .at('f64_store', at);
        if (counts) this.addOne(at + 8, () => code.i32(1));
      });
      return;
    }
    this.expression(field.of, f);
    code.set(this.found);
    const nullable = isNullable(field.of);
    code.get(this.record).get(this.record).at('i64_load', at);
    if (nullable) code.i64(0n).get(this.found).get(this.isNull).op('select');
    else code.get(this.found);
    code.op('i64_add').at('i64_store', at);
    if (counts) this.addOne(at + 8, () => (nullable ? code.get(this.isNull).op('i32_eqz') : code.i32(1)));
  }

  private operands = 0;

  /** Leaves the value on the stack; where a whole number is null, `isNull` is set. */
  private expression(e: Expression, f: number): void {
    const { code } = this;
    switch (e.kind) {
      case 'integer': {
        const name = `value ${f} ${this.operands++}`;
        if (e.values) {
          const value = code.local(Type.i64);
          code
            .get(this.slot(name))
            .get(this.input(e.input))
            .i32(3)
            .op('i32_shl', 'i32_add')
            .at('i64_load')
            .tee(value);
          if (e.nullable)
            this.noteNull(() =>
              code
                .get(value)
                .i64(-(2n ** 63n))
                .op('i64_eq'),
            );
        } else {
          code.get(this.input(e.input)).op('i64_extend_i32_u').get(this.slot(name, 'i64')).op('i64_add');
          if (e.nullable) this.noteNull(() => code.get(this.input(e.input)).op('i32_eqz'));
        }
        return;
      }
      case 'double':
        code
          .get(this.slot(`value ${f} ${this.operands++}`))
          .get(this.input(e.input))
          .i32(3)
          .op('i32_shl', 'i32_add')
          .at('f64_load');
        return;
      case 'integer-constant':
        code.get(this.slot(`value ${f} ${this.operands++}`, 'i64'));
        return;
      case 'double-constant':
        code.i32(this.slots.of(`value ${f} ${this.operands++}`) * SLOT).at('f64_load');
        return;
      case 'integer-operation':
        this.expression(e.left, f);
        this.expression(e.right, f);
        code.op(e.operator === '+' ? 'i64_add' : e.operator === '-' ? 'i64_sub' : 'i64_mul');
        return;
      case 'double-operation':
      case 'quotient':
        this.expression(e.left, f);
        this.expression(e.right, f);
        code.op(
          e.kind === 'quotient'
            ? 'f64_div'
            : e.operator === '+'
              ? 'f64_add'
              : e.operator === '-'
                ? 'f64_sub'
                : 'f64_mul',
        );
        code.set(this.double).get(this.double).f64(NaN);
        code.get(this.double).op('f64_abs').f64(Infinity).op('f64_lt', 'select');
        return;
      case 'to-double': {
        const name = `value ${f} ${this.operands++}`;
        this.expression(e.operand, f);
        code
          .op('f64_convert_i64_s')
          .i32(this.slots.of(name) * SLOT)
          .at('f64_load')
          .op('f64_div');
        return;
      }
    }
  }

  private noteNull(test: () => void): void {
    this.code.get(this.isNull);
    test();
    this.code.op('i32_or').set(this.isNull);
  }
}

/** The inputs that a field reads. */
function inputsOf(field: Field): number[] {
  const found: number[] = field.only ? [field.only.input] : [];
  const visit = (e: Expression): void => {
    if (e.kind === 'integer' || e.kind === 'double') found.push(e.input);
    else if (e.kind === 'to-double') visit(e.operand);
    else if ('left' in e) {
      visit(e.left);
      visit(e.right);
    }
  };
  if (field.kind === 'sum') visit(field.of);
  else if (field.kind !== 'rows') found.push(field.input);
  return found;
}

/** Slots whose numbers are held in locals from the start. */
function slotNames(shape: ScanShape): { name: string; type: 'i32' | 'i64' }[] {
  const names: { name: string; type: 'i32' | 'i64' }[] = [];
  const note = (name: string, type: 'i32' | 'i64' = 'i32') => names.push({ name, type });
  note('records');
  if (shape.writesGroups) note('out');
  if (shape.grouping === 'mask') note('rejected');
  if (shape.grouping === 'hash') {
    note('table');
    note('places');
    note('shift', 'i64');
  }
  shape.widths.forEach((_, k) => note(`input ${k}`));
  shape.probes.forEach(({ mapped }, p) => {
    if (mapped) note(`adds ${p}`);
    if (!mapped || shape.grouping === 'hash') note(`stride ${p}`, shape.grouping === 'hash' ? 'i64' : 'i32');
  });
  shape.fields.forEach((field, f) => {
    if (field.only) note(`passes ${f}`);
    if ((field.kind === 'filled' && field.filled) || ('codes' in field && field.codes)) note(`table ${f}`);
    if (field.kind === 'distinct') {
      note(`width ${f}`);
      note(`bits ${f}`);
    }
    if (field.kind === 'sum')
      operandsOf(field.of).forEach((e, k) => {
        if (e.kind === 'integer') note(`value ${f} ${k}`, e.values ? 'i32' : 'i64');
        if (e.kind === 'double') note(`value ${f} ${k}`);
        if (e.kind === 'integer-constant') note(`value ${f} ${k}`, 'i64');
      });
  });
  return names;
}

/** What of an expression has a number in the header, in the order in which the code meets it. */
export function operandsOf(e: Expression): Expression[] {
  if (e.kind === 'to-double') return [e, ...operandsOf(e.operand)];
  return 'left' in e ? [...operandsOf(e.left), ...operandsOf(e.right)] : [e];
}
