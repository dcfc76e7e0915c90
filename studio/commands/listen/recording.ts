import { recorder } from "@/engine/recorder";
import { inputOf, recorderState, recordingSettings, setRecording } from "@/state/kept/recording";
import { toast } from "@/state/words/toast";
import type { Command } from "../command";
import { chosenTracks } from "../edit/track-commands";

/** While what was recorded is on its way into the piece, undo would take back the step before it: that waits, and says so. */
export function waitsForTake(): boolean {
  const { phase } = recorderState();
  if (phase !== "ending" && phase !== "laying") return false;
  toast("What was recorded is just being laid. Undo it in a moment.", { id: "recording", duration: 2000 });
  return true;
}

function armChosen(): void {
  const ids = chosenTracks();
  if (ids.length === 0) return void toast("Choose a track first: click its head, or step to it by key.", { id: "select" });
  const { armed } = recorderState();
  recorder().arm(ids, !ids.every((id) => armed.has(id)));
}

function monitorChosen(): void {
  const ids = chosenTracks();
  if (ids.length === 0) return void toast("Choose a track first: click its head, or step to it by key.", { id: "select" });
  const monitor = !ids.every((id) => inputOf(id).monitor);
  const { inputs } = recordingSettings();
  setRecording({ inputs: { ...inputs, ...Object.fromEntries(ids.map((id) => [id, { ...inputOf(id), monitor }])) } });
  toast(monitor ? "What comes in is heard. Use headphones: a loudspeaker beside the microphone howls." : "What comes in is not heard.", {
    id: "monitor",
  });
}

function togglePunch(): void {
  const punch = !recordingSettings().punch;
  setRecording({ punch });
  toast(punch ? "Where a range is selected, only that is recorded." : "Recording takes no notice of the selected range.", { id: "punch" });
}

/** Recording. */
export const RECORDING_COMMANDS: readonly Command[] = [
  { id: "record", title: "Record on the armed tracks, or end it", keys: ["*"], run: () => recorder().toggle() },
  { id: "track-arm", title: "Arm the chosen tracks for recording, or take them out", keys: ["Shift+E"], run: armChosen },
  { id: "track-monitor", title: "Hear what comes in on the chosen tracks, or not", keys: [], run: monitorChosen },
  { id: "record-punch", title: "Record only the selected range, or not", keys: [], run: togglePunch },
];
