"use client";
import { useEffect, useRef, useState } from "react";
import { ask, ServerError } from "@/state/sync/api";

interface Picture {
  readonly columns: number;
  readonly tracks: readonly { readonly color: string; readonly spans: readonly (readonly [number, number])[] }[];
}

/** What has been fetched, by project and when it was last changed. */
const known = new Map<string, Picture>();
/** Tracks drawn at most. */
const MOST_TRACKS = 12;
const HEIGHT = 44;

/** A small picture of a project's first version: its clips, track by track. It is fetched when it comes into view. */
export function ProjectPicture({ id, stamp }: { id: string; stamp: string }) {
  const key = `${id} ${stamp}`;
  const [picture, setPicture] = useState(known.get(key));
  const place = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    if (known.has(key) || !place.current) return void setPicture(known.get(key));
    const seen = new IntersectionObserver(
      ([entry]) => {
        if (!entry.isIntersecting) return;
        seen.disconnect();
        ask<Picture>(`/api/projects/${id}/picture`).then(
          (found) => {
            known.set(key, found);
            setPicture(found);
          },
          (error: Error) => {
            // A project without its picture is a project all the same.
            if (!(error instanceof ServerError)) throw error;
          },
        );
      },
      { rootMargin: "200px" },
    );
    seen.observe(place.current);
    return () => seen.disconnect();
  }, [key, id]);
  const drawn = picture?.tracks.slice(0, MOST_TRACKS) ?? [];
  const row = HEIGHT / Math.max(1, drawn.length);
  const boxes = drawn.flatMap((t, i) => t.spans.map(([from, to]) => ({ x: from, y: i * row + 1, width: to - from, color: t.color })));
  return (
    <span ref={place} aria-hidden className="mt-3 block overflow-hidden rounded-sm bg-ground" style={{ height: HEIGHT }}>
      {picture && (
        <svg aria-hidden width="100%" height={HEIGHT} viewBox={`0 0 ${picture.columns} ${HEIGHT}`} preserveAspectRatio="none">
          {boxes.map(({ x, y, width, color }) => (
            <rect key={`${x} ${y}`} x={x} y={y} width={width} height={Math.max(1, row - 2)} fill={`var(--${color})`} opacity={0.75} />
          ))}
        </svg>
      )}
    </span>
  );
}
