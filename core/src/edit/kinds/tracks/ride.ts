import { z } from "zod";
import { GainLine } from "../../../model/schema";
import { countNames, defineEdit, TrackIds } from "../../definition";
import { NOTHING } from "../../law";

export const setRide = defineEdit({
  type: "set-ride",
  law: { sound: "tracks", fields: NOTHING, lays: "none" },
  about:
    "Rides the gain of tracks: a line in dB over the timeline, added to the track's own gain; null takes it off. It moves with what ripples on its track, with sections and with time that comes in or goes, and stays otherwise.",
  params: z.object({ trackIds: TrackIds, points: GainLine.nullable() }),
  example: {
    type: "set-ride",
    trackIds: ["track-1"],
    points: [
      { at: 0, value: 0 },
      { at: 96000, value: -9 },
    ],
  },
  apply(tx, { trackIds, points }) {
    const tracks = [...new Set(trackIds)].map((id) => tx.track(id, "trackIds"));
    for (const { ride: _, ...track } of tracks) tx.setTrack(points ? { ...track, ride: points } : track);
    const who = countNames(
      tracks.map((t) => t.name),
      "track",
    );
    return points ? `Ride gain of ${who}` : `Take gain ride off ${who}`;
  },
});
