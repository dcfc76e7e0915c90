import { FeelOffsets, Step } from "@wet-thread/core/edit/clips/tighten";
import { Chain } from "@wet-thread/core/model/treatment";
import { z } from "zod";
import { feels, presets } from "./db/schema";
import { keptByName } from "./kept-by-name";

export const keptPresets = keptByName(presets, "preset", z.object({ chain: Chain }));
export const keptFeels = keptByName(feels, "feel", z.object({ step: Step, offsets: FeelOffsets }));
