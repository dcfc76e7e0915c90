import type { Metadata, Viewport } from "next";
import type { ReactNode } from "react";
import { Shell } from "@/ui/Shell";
import "./globals.css";

export const metadata: Metadata = { title: "Wet Thread", description: "Edit recorded sound by hand, with clean joins" };
export const viewport: Viewport = { width: "device-width", initialScale: 1, maximumScale: 1 };

/** Each page is made when it is asked for: its scripts carry the nonce of its policy. */
export const dynamic = "force-dynamic";

export default function Layout({ children }: { children: ReactNode }) {
  return (
    <html lang="en" suppressHydrationWarning>
      <body>
        <Shell>{children}</Shell>
      </body>
    </html>
  );
}
