/** An answer other than success: its status, a short code for programs, and a message for people. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly more: Record<string, unknown> = {},
  ) {
    super(message);
    this.name = "ApiError";
  }
}

export const notFound = (what: string, id: string): ApiError => new ApiError(404, "not-found", `There is no ${what} "${id}".`);
