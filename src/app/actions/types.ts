// One thing a person can do: buttons, menus, shortcuts and the sheet all read these.

export type ActionGroup =
  | 'Session'
  | 'Playing'
  | 'View'
  | 'Notes'
  | 'Detection'
  | 'Quantize'
  | 'Tempo'
  | 'Desks'

export interface Action {
  readonly id: string
  readonly label: string
  /** One line: what it does to the sound or the screen. */
  readonly help: string
  readonly group: ActionGroup
  /** As tinykeys reads it, for example `$mod+Shift+KeyZ`. */
  readonly shortcut?: string
  enabled(): boolean
  /** For switches: whether it is on. */
  on?(): boolean
  run(): unknown
}
