import type { Metadata } from "next";
import type { ReactNode } from "react";
export const metadata: Metadata = { title: "Wet Thread" };
export default function Layout({ children }: { children: ReactNode }) {
  return <html lang="en"><body>{children}</body></html>;
}
