/** An edit that can't be done: what is wrong, where in its parameters, and what was kept. The document is untouched. */
export class EditError extends Error {
  constructor(
    message: string,
    readonly path: string = "",
    readonly kept = "Nothing was changed.",
  ) {
    super(message);
    this.name = "EditError";
  }
}
