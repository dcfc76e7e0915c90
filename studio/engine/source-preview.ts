import { create } from "zustand";
import { transport } from "./transport";

/** The recording that is being heard by itself, apart from the piece. */
export const useSourcePreview = create<{ readonly sourceId: string | null }>(() => ({ sourceId: null }));

/** Hears one recording by itself; the playhead and the piece stay where they are. */
class SourcePreview {
  /** Plays a recording from a sample on; while it is the one that plays, stops it. */
  hear(sourceId: string, from: number): void {
    const { sourceId: now } = useSourcePreview.getState();
    this.stop();
    if (now === sourceId && from === 0) return;
    useSourcePreview.setState({ sourceId });
    void transport()
      .hearSource(sourceId, from, () => this.stop())
      .catch(() => this.stop());
  }

  stop(): void {
    if (useSourcePreview.getState().sourceId === null) return;
    useSourcePreview.setState({ sourceId: null });
    transport().stopSource();
  }

  /** Where the ear is in the recording, in samples. */
  position(): number {
    return transport().earPosition() ?? 0;
  }
}

const preview = new SourcePreview();
export const sourcePreview = (): SourcePreview => preview;
