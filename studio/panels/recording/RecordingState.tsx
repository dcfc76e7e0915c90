"use client";
import { useRecorder } from "@/state/kept/recording";

/** How much has been recorded, and how much of it the server has. */
export function RecordingState({ rate }: { rate: number }) {
  const { phase, came, taken, kept, away, tracks } = useRecorder();
  if (phase === "off") return null;
  const seconds = (n: number): string => `${(n / rate).toFixed(1)} s`;
  const words =
    phase === "starting"
      ? "Recording begins …"
      : phase === "counting"
        ? "Counting in …"
        : phase === "on"
          ? `Recording ${tracks.length === 1 ? "" : `${tracks.length} tracks, `}${seconds(taken)}`
          : phase === "ending"
            ? "Recording ends …"
            : "Taking in what was recorded …";
  return (
    <span role="status" data-testid="recording" data-phase={phase} className="flex shrink-0 items-center gap-2 font-semibold text-madder">
      <span aria-hidden className="size-2 rounded-full bg-madder" />
      <span className="num">{words}</span>
      {away ? (
        <span className="font-normal text-ink">
          {away} {seconds(came - kept)} {came - kept === 0 ? "wait" : "are kept"} in this page.
        </span>
      ) : (
        phase === "on" && (
          <span className="num font-normal text-ink-2">{kept < came ? `${seconds(came - kept)} on its way` : "all on the server"}</span>
        )
      )}
    </span>
  );
}
