// Picks the command, and turns bad input into one line on stderr.
import { InputError } from '../core/errors'
import { COMMANDS } from './commands'

/**
 * Runs a command with its files and options.
 *
 * @returns the exit code: 0, or 2 for bad input
 */
export async function runCommand([name, ...args]: readonly string[]): Promise<number> {
  try {
    const command = name === undefined ? undefined : COMMANDS[name]
    if (!command)
      throw new InputError(
        `${name === undefined ? 'Name a command' : `There is no command “${name}”`}; the commands are ${Object.keys(COMMANDS).join(', ')}.`,
      )
    await command(args)
    return 0
  } catch (e) {
    if (!(e instanceof InputError)) throw e
    process.stderr.write(e.message.replace(/\s*\n\s*/g, ' ') + '\n')
    return 2
  }
}
