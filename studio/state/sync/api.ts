import type { Told } from "@wet-thread/core/media/format";
import type { KeptPart } from "@wet-thread/core/model/clip/kept-part";
import type { Hit } from "@wet-thread/core/model/schema";

/** An error answer of the API; `status` 0 when the server could not be reached. */
export class ServerError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly body: Record<string, unknown>,
  ) {
    super(message);
    this.name = "ServerError";
  }

  /** Nobody answered, or the database was away: the same request may well succeed later. */
  get passing(): boolean {
    return this.status === 0 || this.status === 502 || this.status === 503 || this.status === 504;
  }
}

/** Asks the API for JSON. Throws ServerError for any answer but success. */
export async function ask<T>(path: string, init: RequestInit & { json?: unknown } = {}): Promise<T> {
  const { json, ...rest } = init;
  let answer: Response;
  try {
    answer = await fetch(path, json === undefined ? rest : { method: "POST", ...rest, body: JSON.stringify(json) });
  } catch {
    throw new ServerError(0, "The server does not answer.", {});
  }
  const body = (await answer.json().catch(() => null)) as Record<string, unknown> | null;
  // A proxy's page, or an answer that broke off: as if nobody had answered.
  if (answer.ok && body === null) throw new ServerError(502, "The server's answer could not be read.", {});
  // The session has ended: the page comes back to where it is once it has been renewed.
  if (answer.status === 401 && body?.error === "sign-in")
    location.assign(`/sign-in?to=${encodeURIComponent(location.pathname + location.search)}${location.hash}`);
  if (!answer.ok) throw new ServerError(answer.status, String(body?.message ?? `The server answered ${answer.status}.`), body ?? {});
  return body as T;
}

/** A recording, and what its file tells beside its samples, at the project's rate. */
export interface SourceRow extends Told {
  readonly id: string;
  readonly name: string;
  readonly status: "receiving" | "queued" | "importing" | "asking" | "ready" | "failed";
  readonly progress: number;
  readonly error: string | null;
  readonly length: number;
  readonly channels: number;
  readonly sampleRate: number;
  readonly originalRate: number;
  readonly transients: readonly number[];
  /** Parts of it that are kept under names of their own. */
  readonly parts: readonly KeptPart[];
  /** The same and fainter ones, with their strengths; null where strengths are not known. */
  readonly hits: readonly Hit[] | null;
  /** What kind of file it came as, and what should be known of how it was read. */
  readonly format: string;
  readonly notes: readonly string[];
  /** What is asked about a file that holds less than it says, in words. */
  readonly asking: { readonly message: string } | null;
  /** When it was taken out of the list, being unused; its sound is kept. */
  readonly removedAt: string | null;
}

export interface ProjectRow {
  readonly id: string;
  readonly name: string;
  readonly sampleRate: number;
  readonly createdAt: string;
  readonly sources: readonly SourceRow[];
  readonly versions: readonly { id: string; name: string; description: string; revision: number; changedAt: string; modes?: unknown }[];
}
