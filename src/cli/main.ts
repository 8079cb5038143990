// The command line's process.
import { runCommand } from './run'

process.exitCode = await runCommand(process.argv.slice(2))
