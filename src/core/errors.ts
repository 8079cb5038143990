// The one error class whose message is meant for the person: what is wrong and what to do, in one sentence.

/** Bad input. The message is a complete sentence that can be shown as it is. */
export class InputError extends Error {
  override readonly name = 'InputError'
}

/** Work that was cancelled by whoever asked for it. */
export class Cancelled extends Error {
  override readonly name = 'Cancelled'
  constructor() {
    super('Cancelled.')
  }
}
