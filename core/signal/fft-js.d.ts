declare module 'fft.js' {
  export default class FFT {
    constructor(size: number)
    readonly size: number
    createComplexArray(): number[]
    transform(out: number[] | Float64Array, data: number[] | Float64Array): void
    realTransform(out: number[] | Float64Array, data: number[] | Float64Array | Float32Array): void
    completeSpectrum(spectrum: number[] | Float64Array): void
    inverseTransform(out: number[] | Float64Array, data: number[] | Float64Array): void
  }
}
