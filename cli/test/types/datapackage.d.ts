/** The part of the package that is used: it has no types of its own. */
declare module 'datapackage' {
  interface Resource {
    readonly schema: { readonly fields: readonly { readonly name: string; readonly type: string }[] };
    read(options?: { keyed?: boolean }): Promise<Record<string, unknown>[]>;
  }
  export class Package {
    static load(descriptor: object, options?: { basePath?: string; strict?: boolean }): Promise<Package>;
    readonly valid: boolean;
    readonly errors: readonly Error[];
    getResource(name: string): Resource | null;
  }
}
