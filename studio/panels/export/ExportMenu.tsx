"use client";
import { X } from "lucide-react";
import { Dialog } from "radix-ui";
import { useRef, useState } from "react";
import { useExportMenu } from "@/commands/files/export-here";
import { toast } from "@/state/words/toast";
import { Button, Segments } from "@/ui/controls";
import { MadeBefore } from "./MadeBefore";
import { OtherFiles } from "./OtherFiles";
import { SoundOut } from "./SoundOut";
import { fileOf } from "./settings";
import { useExport } from "./use-export";

type Tab = "sound" | "others" | "made";

/** Everything that goes out: sound as files, files for other programs, and what was exported before. */
export function ExportMenu() {
  const { open } = useExportMenu();
  const [tab, setTab] = useState<Tab>("sound");
  const place = useRef<HTMLDivElement>(null);
  const out = useExport((job) => {
    // Where the dialog is open it shows it by itself.
    if (!place.current && job.bytes > 0)
      toast.success("The export is ready.", {
        id: "export",
        duration: 30_000,
        action: { label: "Save file", onClick: () => window.location.assign(fileOf(job.id)) },
      });
  });
  return (
    <Dialog.Root open={open} onOpenChange={(now) => useExportMenu.setState({ open: now, ...(!now && { part: null }) })}>
      <Dialog.Trigger asChild>
        <Button look="main" className="ml-1" data-testid="export">
          Export
        </Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          ref={place}
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 flex h-[min(700px,calc(100vh-24px))] w-[min(920px,calc(100vw-24px))] -translate-x-1/2 -translate-y-1/2 flex-col rounded-lg border border-line bg-raised p-4 shadow-float outline-none"
        >
          <div className="mb-4 flex items-center gap-4">
            <Dialog.Title className="font-semibold text-lg">Export</Dialog.Title>
            <div className="w-[420px]">
              <Segments<Tab>
                label="Kind of export"
                value={tab}
                onChange={setTab}
                options={[
                  ["sound", "Sound"],
                  ["others", "For other programs"],
                  ["made", "Made before"],
                ]}
              />
            </div>
            <Dialog.Close aria-label="Close" className="ml-auto rounded-sm p-1 hover:bg-weft">
              <X size={16} />
            </Dialog.Close>
          </div>
          {tab === "sound" && <SoundOut out={out} />}
          {tab === "others" && <OtherFiles />}
          {tab === "made" && (
            <MadeBefore
              onAgain={(id) => {
                out.follow(id);
                setTab("sound");
              }}
            />
          )}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
