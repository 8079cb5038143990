declare module 'soundtouchjs' {
  export class SoundTouch {
    tempo: number
  }
  export class SimpleFilter {
    constructor(
      source: { extract(target: Float32Array, count: number, from?: number): number },
      pipe: SoundTouch,
    )
    extract(target: Float32Array, count: number): number
  }
}
