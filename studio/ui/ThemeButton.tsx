"use client";
import { Moon, Sun } from "lucide-react";
import { setSettings, useSettings } from "@/state/kept/settings";
import { IconButton } from "./controls";

export function ThemeButton() {
  const theme = useSettings((s) => s.theme);
  return (
    <IconButton
      label={theme === "day" ? "Dark theme" : "Light theme"}
      keys="Ctrl+Shift+L"
      onClick={() => setSettings({ theme: theme === "day" ? "vat" : "day" })}
    >
      {theme === "day" ? <Moon size={16} /> : <Sun size={16} />}
    </IconButton>
  );
}
