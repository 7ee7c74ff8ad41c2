/**
 * Gives instances of a module that the build has compiled, kept as base64; it is compiled once. `full` is
 * said when its memory is.
 */
export function kernelMaker<Kernel>(base64: string, full: string): () => Kernel {
  let compiled: WebAssembly.Module | undefined;
  return () => {
    compiled ??= new WebAssembly.Module(Uint8Array.from(atob(base64), (c) => c.charCodeAt(0)));
    const abort = () => {
      throw new RangeError(full);
    };
    return new WebAssembly.Instance(compiled, { env: { abort } }).exports as unknown as Kernel;
  };
}
