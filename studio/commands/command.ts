/** Something that can be done, with its key. A key is written as it is pressed: Mod is Ctrl or Cmd. */
export interface Command {
  readonly id: string;
  readonly title: string;
  readonly keys: readonly string[];
  run(): void;
}
