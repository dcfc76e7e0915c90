import { AxeBuilder } from "@axe-core/playwright";
import type { Page } from "@playwright/test";

/** What keeps a view from being read by a machine that reads for people: serious and critical faults, each with the element that has it. */
export async function seriousFaults(page: Page): Promise<string[]> {
  // The page has no frames of other origins, for which results would go through a page of their own; of what is well no list is wanted.
  const { violations } = await new AxeBuilder({ page })
    .setLegacyMode()
    .options({ resultTypes: ["violations"] })
    .analyze();
  return violations.filter((v) => v.impact === "serious" || v.impact === "critical").map((v) => `${v.id}: ${v.nodes[0]?.html.slice(0, 120)}`);
}
