// What the core may use beside ECMAScript: the encoding standard's coders, which browsers, workers and Node
// share.
declare class TextDecoder {
  constructor(label?: string, options?: { fatal?: boolean; ignoreBOM?: boolean });
  decode(input?: ArrayBufferView | ArrayBuffer, options?: { stream?: boolean }): string;
}
declare class TextEncoder {
  encode(input?: string): Uint8Array<ArrayBuffer>;
}
declare const performance: { now(): number };
declare function atob(text: string): string;
declare namespace WebAssembly {
  class Module {
    constructor(bytes: Uint8Array<ArrayBuffer>);
  }
  class Memory {
    constructor(size: { initial: number; maximum?: number });
    readonly buffer: ArrayBuffer;
    grow(pages: number): number;
  }
  class Instance {
    constructor(module: Module, imports: Record<string, Record<string, unknown>>);
    readonly exports: Record<string, unknown>;
  }
}
