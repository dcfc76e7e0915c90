import type { KeptPart } from "@wet-thread/core/model/clip/kept-part";
import { create } from "zustand";
import { transport } from "./transport";

interface Heard {
  readonly sourceId: string | null;
  /** The part of it that is heard; null for the recording itself. */
  readonly partId: string | null;
}
const NOTHING: Heard = { sourceId: null, partId: null };

/** The recording, or part of one, that is being heard by itself, apart from the piece. */
export const useSourcePreview = create<Heard>(() => NOTHING);

/** Hears one recording by itself; the playhead and the piece stay where they are. */
class SourcePreview {
  /** Plays a recording, or a part of it, from a sample of it on; while it is the one that plays, stops it. */
  hear(sourceId: string, from: number, part: KeptPart | null = null): void {
    const now = useSourcePreview.getState();
    const next: Heard = { sourceId, partId: part?.id ?? null };
    this.stop();
    if (now.sourceId === sourceId && now.partId === next.partId && from === 0) return;
    useSourcePreview.setState(next);
    void transport()
      .hearSource(sourceId, part, from, () => this.stop())
      .then(() => this.follow(next))
      .catch(() => this.stop());
  }

  /** That it is over is seen by whoever asks where the ear is: somebody does, also where no line is drawn. */
  private follow(heard: Heard): void {
    const now = useSourcePreview.getState();
    if (now.sourceId !== heard.sourceId || now.partId !== heard.partId) return;
    this.position();
    requestAnimationFrame(() => this.follow(heard));
  }

  stop(): void {
    if (useSourcePreview.getState().sourceId === null) return;
    useSourcePreview.setState(NOTHING);
    transport().stopSource();
  }

  /** Where the ear is in the recording, in samples. */
  position(): number {
    return transport().earPosition() ?? 0;
  }
}

const preview = new SourcePreview();
export const sourcePreview = (): SourcePreview => preview;
