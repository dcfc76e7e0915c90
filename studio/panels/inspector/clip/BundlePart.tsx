"use client";
import { makeIndependent, openBundle, release, selectedBundle } from "@/commands/edit/clip-actions";
import { session, useSession } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { Button, Field } from "@/ui/controls";

/** The bundle that the selection is: its name, its way in and out. */
export function BundlePart() {
  useView((v) => v.clipIds);
  useSession((s) => s.doc);
  const bundle = selectedBundle();
  if (!bundle) return null;
  return (
    <section aria-label="Bundle" className="mt-2.5 rounded-md border border-line bg-surface p-2.5">
      <div className="mb-1 flex justify-between text-ink-2 text-sm">
        <span>Bundle</span>
        {bundle.pattern !== null && <span>its copies follow</span>}
      </div>
      <Field
        label="Name of the bundle"
        numeric={false}
        className="font-semibold"
        value={bundle.name}
        onCommit={(name) => session().edit([{ type: "set-bundle", bundleId: bundle.id, name }])}
      />
      <div className="mt-2 flex gap-2">
        <Button className="flex-1 px-1" onClick={() => openBundle(bundle.id)}>
          Open
        </Button>
        <Button className="flex-1 px-1" onClick={release}>
          Release
        </Button>
        {bundle.pattern !== null && (
          <Button className="flex-1 px-1" title="Changes inside its copies are not made in it any more" onClick={makeIndependent}>
            Unlink
          </Button>
        )}
      </div>
    </section>
  );
}
