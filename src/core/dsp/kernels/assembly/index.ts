// The inner loops that plain TypeScript is too slow for, for WebAssembly with SIMD. Compiled by `npm run kernels`.
export {
  multiply,
  energy,
  accumulate,
  addProduct,
  coarsen,
  slide,
  interpolate,
  filter,
  rise,
  bends,
  widen,
  logOnePlus,
  deinterleave,
  halfBand,
  reverse,
  dot,
  ramp,
  divide,
  scaleAlong,
  peak,
} from './vectors'
export { addPowers, roots, bands, complexNovelty, raise, warpGains } from './spectra'
export { center, normalizedDifference, nextMinimum } from './periods'
export { addDoubles, dotDoubles, multiplyDoubles, phasors } from './doubles'
export { beatPath, holdStep, leastOf } from './paths'
export { compareParts, findTurns, turnBins } from './phases'
export { bendBins, findGlides } from './glides'
export { correlate, predictionError, undoPrediction } from './prediction'
export { blockPowers, runningSums, slidingMeans } from './rises'
