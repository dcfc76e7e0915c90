import { type ExternalToast, toast as sonner } from "sonner";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { toast } from "./toast";

const said: ExternalToast[] = [];
for (const how of ["message", "error"] as const)
  vi.spyOn(sonner, how).mockImplementation((_message, options = {}) => {
    said.push(options);
    return options.id ?? "";
  });
const dismissed = vi.spyOn(sonner, "dismiss").mockImplementation((id) => id as string);
const press = (button: ExternalToast["action"]): void => (button as { onClick(e: unknown): void }).onClick({});

describe("notices", () => {
  beforeEach(() => {
    said.length = 0;
    dismissed.mockClear();
  });

  it("take the place of the one before by their name, and have nothing of it", () => {
    toast("Counted otherwise.", { id: "rulers", description: "More", action: { label: "Follow", onClick: () => {} } });
    toast.error("One ruler stays.", { id: "rulers" });
    expect(said[1].id).toBe(said[0].id);
    expect(said[1]).toMatchObject({ action: undefined, cancel: undefined, description: undefined, duration: undefined });
    expect(Object.keys(said[1])).toEqual(expect.arrayContaining(["action", "cancel", "description", "duration"]));
  });

  it("are put up anew where the one of that name is leaving: answered, over, put away or taken away", () => {
    const ways: ((before: ExternalToast) => void)[] = [
      ({ action }) => press(action),
      ({ cancel }) => press(cancel),
      (before) => before.onDismiss?.(before as never),
      (before) => before.onAutoClose?.(before as never),
      () => toast.dismiss("step"),
    ];
    for (const [k, leave] of ways.entries()) {
      const button = { label: "Yes", onClick: vi.fn() };
      toast("First", { id: "step", action: button, cancel: button });
      leave(said[2 * k]);
      toast("Second", { id: "step" });
      expect(said[2 * k + 1].id).not.toBe(said[2 * k].id);
      expect(button.onClick).toHaveBeenCalledTimes(k < 2 ? 1 : 0);
    }
    expect(dismissed).toHaveBeenCalledExactlyOnceWith(said[8].id);
  });

  it("say what a button brings about even where that has the same name", () => {
    toast("Save it?", { id: "save", action: { label: "Yes", onClick: () => toast("Saved.", { id: "save" }) } });
    press(said[0].action);
    expect(said[1].id).not.toBe(said[0].id);
  });

  it("that left do not take along the ones that came after", () => {
    toast("First", { id: "late" });
    toast.dismiss("late");
    toast("Second", { id: "late" });
    said[0].onDismiss?.(said[0] as never);
    toast("Third", { id: "late" });
    expect(said[2].id).toBe(said[1].id);
  });

  it("without a name stand each by itself", () => {
    toast("One");
    toast("Two");
    expect(said.map((o) => o.id)).toEqual([undefined, undefined]);
  });
});
