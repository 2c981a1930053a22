import { toUint8Array } from 'js-base64'

/** Memory of a module; after growing, arrays over what it was are empty. */
export interface Memory {
  readonly buffer: ArrayBuffer
  grow(pages: number): number
}

/** Bytes of a page. */
const PAGE = 65_536

/** What browsers, workers and Node have alike, but no library of types without a browser names. */
const { WebAssembly } = globalThis as unknown as {
  WebAssembly: {
    Module: new (bytes: Uint8Array) => object
    Instance: new (module: object, imports: Record<string, Record<string, unknown>>) => { exports: Record<string, unknown> }
  }
}

/** Compiles an embedded module. An audio worklet has no atob. */
export const compiled = (base64: string): object => new WebAssembly.Module(toUint8Array(base64))

/** Starts a compiled module with what it asks for; each has a memory of its own. */
export const instance = (module: object, imports: Record<string, Record<string, unknown>> = {}): Record<string, unknown> =>
  new WebAssembly.Instance(module, imports).exports

/** Makes a memory at least so long, bytes. */
export function growTo(memory: Memory, bytes: number): void {
  const pages = Math.ceil((bytes - memory.buffer.byteLength) / PAGE)
  if (pages > 0) memory.grow(pages)
}
