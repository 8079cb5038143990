// Before unit tests: the FFT's module is loaded.
import { loadFft } from '../../src/core/dsp/fft'

await loadFft()
