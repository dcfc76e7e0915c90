"use client";
import { Tooltip } from "radix-ui";
import { type ReactNode, useEffect } from "react";
import { Toaster } from "sonner";
import { useSettings } from "@/state/kept/settings";

/** What every page stands in: the theme, tips and notices. */
export function Shell({ children }: { children: ReactNode }) {
  const theme = useSettings((s) => s.theme);
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  return (
    <Tooltip.Provider delayDuration={500}>
      {children}
      <Toaster
        position="bottom-center"
        offset={76}
        gap={8}
        // Each whole, none behind another: each of them may ask something.
        expand
        visibleToasts={5}
        toastOptions={{
          unstyled: true,
          classNames: {
            toast:
              "flex flex-col gap-1 rounded-lg border border-line bg-raised text-ink shadow-float px-4 py-2.5 text-base font-sans w-fit max-w-[460px] mx-auto",
            error: "!border-madder",
            title: "font-medium",
            description: "text-ink-2 text-sm whitespace-pre-line break-words max-h-60 overflow-y-auto",
            icon: "hidden",
            actionButton: "mt-1 h-8 rounded-md border border-line bg-raised px-3 font-medium hover:border-ink-3",
            cancelButton: "mt-1 h-8 rounded-md border border-line bg-raised px-3 hover:border-ink-3",
          },
        }}
      />
    </Tooltip.Provider>
  );
}
