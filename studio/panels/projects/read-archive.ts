import { toast } from "@/state/words/toast";

interface Answer {
  readonly id?: string;
  readonly left?: readonly string[];
  readonly message?: string;
  /** Whether what is whole of it can be read all the same. */
  readonly partial?: boolean;
}

function send(file: File, partial: boolean, progress: (part: number) => void): Promise<{ status: number; body: Answer }> {
  return new Promise((resolve) => {
    const request = new XMLHttpRequest();
    request.upload.onprogress = (e) => progress(e.lengthComputable ? e.loaded / e.total : 0);
    request.onload = () => {
      try {
        resolve({ status: request.status, body: JSON.parse(request.responseText || "{}") });
      } catch {
        resolve({ status: request.status, body: {} });
      }
    };
    request.onerror = () => resolve({ status: 0, body: { message: "The server does not answer just now. Nothing was changed." } });
    request.open("POST", `/api/projects/archive${partial ? "?partial=1" : ""}`);
    request.send(file);
  });
}

/** Makes a project of an archive; of a damaged one it is asked whether what is whole is wanted. Resolves to its id, or null where nothing was made. */
export async function readArchive(file: File, progress: (part: number) => void): Promise<string | null> {
  for (let partial = false; ; partial = true) {
    progress(0);
    const { status, body } = await send(file, partial, progress);
    if (status === 201 && body.id) {
      if (body.left && body.left.length > 0)
        toast(`${file.name} was read as far as it is whole`, { description: body.left.slice(0, 5).join("; "), duration: 15_000 });
      return body.id;
    }
    if (!body.partial || partial) {
      toast.error(body.message ?? `The server answered ${status}.`, { duration: 12_000 });
      return null;
    }
    const wanted = await new Promise<boolean>((resolve) =>
      toast.error(body.message ?? "", {
        duration: Number.POSITIVE_INFINITY,
        action: { label: "Read what is whole", onClick: () => resolve(true) },
        onDismiss: () => resolve(false),
        closeButton: true,
      }),
    );
    if (!wanted) return null;
  }
}
