// The command line: picks the command, turns bad input into one line on stderr and exit code 2.
import { InputError } from '../core/errors'
import { COMMANDS } from './commands'

const [name, ...args] = process.argv.slice(2)

try {
  const command = name === undefined ? undefined : COMMANDS[name]
  if (!command)
    throw new InputError(
      `${name === undefined ? 'Name a command' : `There is no command “${name}”`}; the commands are ${Object.keys(COMMANDS).join(', ')}.`,
    )
  await command(args)
} catch (e) {
  if (!(e instanceof InputError)) throw e
  process.stderr.write(e.message.replace(/\s*\n\s*/g, ' ') + '\n')
  process.exitCode = 2
}
