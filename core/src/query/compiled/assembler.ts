/** Value types of WebAssembly's binary format. */
export const Type = { i32: 0x7f, i64: 0x7e, f64: 0x7c } as const;
export type ValueType = (typeof Type)[keyof typeof Type];

/** The instructions that scans are made of, by their names in the text format with _ for the point. */
const OPCODES = {
  i32_eqz: 0x45,
  i32_eq: 0x46,
  i32_ne: 0x47,
  i32_lt_s: 0x48,
  i32_lt_u: 0x49,
  i32_gt_u: 0x4b,
  i64_eqz: 0x50,
  i64_eq: 0x51,
  f64_eq: 0x61,
  f64_lt: 0x63,
  i32_add: 0x6a,
  i32_sub: 0x6b,
  i32_mul: 0x6c,
  i32_and: 0x71,
  i32_or: 0x72,
  i32_shl: 0x74,
  i32_shr_u: 0x76,
  i64_add: 0x7c,
  i64_sub: 0x7d,
  i64_mul: 0x7e,
  i64_or: 0x84,
  i64_shr_u: 0x88,
  f64_abs: 0x99,
  f64_add: 0xa0,
  f64_sub: 0xa1,
  f64_mul: 0xa2,
  f64_div: 0xa3,
  i32_wrap_i64: 0xa7,
  i64_extend_i32_u: 0xad,
  f64_convert_i64_s: 0xb9,
  select: 0x1b,
} as const;
export type Opcode = keyof typeof OPCODES;

const MEMORY = {
  i32_load: [0x28, 2],
  i64_load: [0x29, 3],
  f64_load: [0x2b, 3],
  i32_load8_u: [0x2d, 0],
  i32_load16_u: [0x2f, 1],
  i32_store: [0x36, 2],
  i64_store: [0x37, 3],
  f64_store: [0x39, 3],
} as const;
export type MemoryOpcode = keyof typeof MEMORY;

function unsigned(value: number): number[] {
  const bytes: number[] = [];
  for (let left = value; ;) {
    const low = left % 128;
    left = Math.floor(left / 128);
    bytes.push(left === 0 ? low : low | 0x80);
    if (left === 0) return bytes;
  }
}

function signed(value: bigint): number[] {
  const bytes: number[] = [];
  for (let left = value; ;) {
    const low = Number(left & 0x7fn);
    left >>= 7n;
    const done = (left === 0n && (low & 0x40) === 0) || (left === -1n && (low & 0x40) !== 0);
    bytes.push(done ? low : low | 0x80);
    if (done) return bytes;
  }
}

/**
 * The body of a function, written instruction by instruction. A local is known by the number that `local`
 * gives.
 */
export class Assembler {
  private readonly code: number[] = [];
  private readonly locals: ValueType[] = [];

  constructor(private readonly parameters: number) {}

  local(type: ValueType): number {
    this.locals.push(type);
    return this.parameters + this.locals.length - 1;
  }

  op(...names: Opcode[]): this {
    for (const name of names) this.code.push(OPCODES[name]);
    return this;
  }

  get(local: number): this {
    this.code.push(0x20, ...unsigned(local));
    return this;
  }

  set(local: number): this {
    this.code.push(0x21, ...unsigned(local));
    return this;
  }

  tee(local: number): this {
    this.code.push(0x22, ...unsigned(local));
    return this;
  }

  i32(value: number): this {
    this.code.push(0x41, ...signed(BigInt(value | 0)));
    return this;
  }

  i64(value: bigint): this {
    this.code.push(0x42, ...signed(BigInt.asIntN(64, value)));
    return this;
  }

  f64(value: number): this {
    this.code.push(0x44, ...new Uint8Array(new Float64Array([value]).buffer));
    return this;
  }

  /** A load or store at the address on the stack plus `offset` bytes. */
  at(name: MemoryOpcode, offset = 0): this {
    const [opcode, alignment] = MEMORY[name];
    this.code.push(opcode, alignment, ...unsigned(offset));
    return this;
  }

  block(inside: () => void): this {
    return this.nested(0x02, inside);
  }

  loop(inside: () => void): this {
    return this.nested(0x03, inside);
  }

  /** Takes a condition from the stack. */
  when(inside: () => void): this {
    return this.nested(0x04, inside);
  }

  private nested(opcode: number, inside: () => void): this {
    this.code.push(opcode, 0x40);
    inside();
    this.code.push(0x0b);
    return this;
  }

  /** Leaves `depth` blocks or loops around this place; a loop is begun again. */
  branch(depth: number): this {
    this.code.push(0x0c, ...unsigned(depth));
    return this;
  }

  branchIf(depth: number): this {
    this.code.push(0x0d, ...unsigned(depth));
    return this;
  }

  body(): number[] {
    const declared = this.locals.flatMap((type) => [1, type]);
    const bytes = [...unsigned(this.locals.length), ...declared, ...this.code, 0x0b];
    return [...unsigned(bytes.length), ...bytes];
  }
}

/**
 * A module of one function `run(i32)` over the memory that it imports as `env.memory`.
 * Source: WebAssembly Core Specification 1.0, chapter 5, Binary Format.
 */
export function moduleBytes(run: Assembler): Uint8Array<ArrayBuffer> {
  const name = (text: string) => [text.length, ...new TextEncoder().encode(text)];
  const section = (id: number, content: readonly number[]) => [id, ...unsigned(content.length), ...content];
  const body = run.body();
  return Uint8Array.from([
    ...[0x00, 0x61, 0x73, 0x6d, 0x01, 0x00, 0x00, 0x00],
    ...section(1, [1, 0x60, 1, Type.i32, 0]),
    ...section(2, [1, ...name('env'), ...name('memory'), 0x02, 0x00, 1]),
    ...section(3, [1, 0]),
    ...section(7, [1, ...name('run'), 0x00, 0]),
    ...section(10, [1, ...body]),
  ]);
}
