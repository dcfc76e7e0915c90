import { Chain } from "@wet-thread/core/model/recipe/treatment";
import { GridStep } from "@wet-thread/core/time/grid-step";
import { FeelOffsets } from "@wet-thread/core/time/swing";
import { z } from "zod";
import { feels, presets } from "../db/schema";
import { keptByName } from "./kept-by-name";

export const keptPresets = keptByName(presets, "preset", z.object({ chain: Chain }));
export const keptFeels = keptByName(feels, "feel", z.object({ step: GridStep, offsets: FeelOffsets }));
