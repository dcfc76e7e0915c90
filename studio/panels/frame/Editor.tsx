"use client";
import Link from "next/link";
import { useEffect, useRef, useState } from "react";
import { runCommand } from "@/commands/commands";
import { zoomToWhole } from "@/commands/edit/actions";
import { followSeamsMade } from "@/commands/edit/seam-meant";
import { keyOf, useKeys } from "@/commands/keys";
import { timelineHost } from "@/commands/view/timeline-host";
import { arrive, onSwitch } from "@/commands/view/version-switch";
import { Recorder, setRecorder } from "@/engine/recorder";
import { canSound, setTransport, Transport } from "@/engine/transport";
import { closeMeasurer } from "@/seams/measures";
import { useSettings } from "@/state/kept/settings";
import { followModes } from "@/state/kept/version-modes";
import { closeParked, Session, sendLeftovers, setSession } from "@/state/sync/session";
import { followAddress, readAddress } from "@/state/view/address";
import { rememberSelections } from "@/state/view/selection-memory";
import { setView, useView } from "@/state/view/view";
import { followViews } from "@/state/view/view-history";
import { toast } from "@/state/words/toast";
import { setTimelineHost } from "@/timeline/host";
import { OVERVIEW_HEIGHT } from "@/timeline/model/geometry";
import { usePreview } from "@/timeline/model/preview";
import { Overview } from "@/timeline/Overview";
import { Timeline } from "@/timeline/Timeline";
import { DropFiles } from "../files/DropFiles";
import { KeySheet } from "../find/KeySheet";
import { Palette } from "../find/Palette";
import { PieceList } from "../find/PieceList";
import { Help } from "../help/Help";
import { Inspector } from "../inspector/Inspector";
import { ModeLine } from "../mode-line/ModeLine";
import { RecordingStrips } from "../recording/RecordingStrips";
import { RulerMarks } from "../rulers/RulerMarks";
import { SeamCheck } from "../seam-check/SeamCheck";
import { TakesPanel } from "../takes/TakesPanel";
import { LanePanels } from "./LanePanels";
import { PictureWindow } from "./PictureWindow";
import { OverviewLabel, StatusLine } from "./StatusLine";
import { Tools } from "./Tools";
import { TopBar } from "./TopBar";
import { TrackHeads } from "./TrackHeads";

setTimelineHost(timelineHost);

/** The version that is next is made ready once this one has had time to be drawn. */
const AHEAD_MS = 2500;

/** Opens a version and draws the whole editor around it. */
export function Editor({ projectId, versionId: first }: { projectId: string; versionId?: string }) {
  const [state, setState] = useState<"opening" | { open: string } | { wrong: string }>("opening");
  const [versionId, setVersionId] = useState(first);
  /** The version that is open, which an address without one does not name. */
  const opened = useRef<string | null>(null);
  useEffect(() => {
    onSwitch(setVersionId);
    // The browser's own way back leads to the version that was before; where only the view changed, nothing is opened anew.
    const back = (): void => {
      const wanted = new URLSearchParams(window.location.search).get("version");
      if (wanted && wanted !== opened.current) setVersionId(wanted);
    };
    window.addEventListener("popstate", back);
    return () => window.removeEventListener("popstate", back);
  }, []);
  useEffect(() => {
    let session: Session | null = null;
    let transport: Transport | null = null;
    let recorder: Recorder | null = null;
    let leaveModes = (): void => {};
    let leaveSeams = (): void => {};
    let gone = false;
    let ahead: ReturnType<typeof setTimeout> | undefined;
    // What a gesture draws is heard while it is drawn.
    const stopHearing = usePreview.subscribe(({ heard }, old) => {
      if (heard !== old.heard) transport?.hearWhile(heard);
    });
    void (async () => {
      try {
        session = await Session.open(projectId, versionId);
        if (gone) return session.park();
        setSession(session);
        leaveModes = followModes(session);
        leaveSeams = followSeamsMade();
        transport = new Transport();
        setTransport(transport);
        recorder = new Recorder(transport);
        setRecorder(recorder);
        // For tests and bench: what reached the ring, as numbers.
        (window as Window & { wetThreadRing?: unknown }).wetThreadRing = transport.ringForTests;
        setView({
          clipIds: new Set(),
          range: null,
          seamId: null,
          seamMade: null,
          trackId: null,
          playhead: 0,
          start: 0,
          scrollY: 0,
          tall: null,
          playing: false,
          openBundle: null,
          bareGains: new Map(),
          placing: null,
          panel: null,
        });
        opened.current = session.store.getState().versionId;
        setState({ open: opened.current });
        const ready = session;
        ahead = setTimeout(() => {
          void ready.prepareNext();
          void sendLeftovers(ready.store.getState().versionId);
        }, AHEAD_MS);
        if (!canSound())
          toast.warning("This page came over plain http, so the browser gives it no sound. All else works.", {
            id: "secure",
            duration: 15_000,
            description: "Whoever runs the server can give it a certificate: WET_THREAD_TLS_CERT and WET_THREAD_TLS_KEY.",
          });
      } catch (error) {
        if (!gone) setState({ wrong: (error as Error).message });
      }
    })();
    return () => {
      gone = true;
      clearTimeout(ahead);
      leaveModes();
      leaveSeams();
      stopHearing();
      closeMeasurer();
      recorder?.close();
      transport?.close();
      session?.park();
    };
  }, [projectId, versionId]);
  useEffect(() => closeParked, []);
  if (state === "opening") return <div className="grid h-dvh place-items-center text-ink-3">Opening …</div>;
  if ("wrong" in state) {
    return (
      <div className="grid h-dvh place-items-center">
        <div className="text-center">
          <p className="font-semibold text-lg">This project can't be opened</p>
          <p className="mt-1 text-ink-2">{state.wrong}</p>
          <Link href="/" className="mt-4 inline-block underline">
            All projects
          </Link>
        </div>
      </div>
    );
  }
  return <Opened key={state.open} />;
}

function Opened() {
  const inspector = useSettings((s) => s.inspector);
  // Keys are shown all over; when they change, so does what is drawn.
  useKeys((s) => s.changed);
  const seamCheck = useSettings((s) => s.seamCheck);
  const picture = useSettings((s) => s.picture);
  const takes = useSettings((s) => s.takes);
  useNarrow();
  const narrow = useView((v) => v.narrow);
  const over = useView((v) => v.inspectorOver);
  const shownInspector = narrow ? over : inspector;
  const width = useView((v) => v.width);
  const [shown, setShown] = useState(false);
  // The first view is the whole piece, once the lanes know their width.
  useEffect(() => {
    if (shown || width <= 0) return;
    setShown(true);
    if (!readAddress()) zoomToWhole();
    arrive();
  }, [shown, width]);
  useEffect(() => {
    if (!shown) return;
    const offs = [followViews(), followAddress(), rememberSelections()];
    return () => {
      for (const off of offs) off();
    };
  }, [shown]);
  return (
    <DropFiles>
      <div className="grid h-dvh grid-cols-[minmax(0,1fr)] grid-rows-[48px_auto_minmax(0,1fr)_24px] overflow-hidden bg-surface">
        <TopBar />
        <ModeLine />
        <div className="relative flex min-h-0 border-line border-t">
          <Tools />
          <div className="flex min-h-0 min-w-0 flex-1 flex-col">
            <div className="flex min-h-0 flex-1">
              <TrackHeads />
              <div className="relative min-w-0 flex-1 border-line border-l">
                <Timeline rulerMarks={<RulerMarks />} />
                <RecordingStrips />
                <LanePanels />
              </div>
            </div>
            {takes && <TakesPanel />}
            {seamCheck && <SeamCheck />}
            <div className="flex shrink-0 border-line border-t" style={{ height: OVERVIEW_HEIGHT }}>
              <OverviewLabel />
              <div className="min-w-0 flex-1 border-line border-l">
                <Overview />
              </div>
            </div>
          </div>
          {shownInspector ? (
            <Inspector over={narrow} />
          ) : (
            <button
              type="button"
              aria-label="Show the inspector"
              title={`Show the inspector (${keyOf("inspector")})`}
              className="absolute top-1/3 right-0 z-20 rounded-l-md border border-line border-r-0 bg-raised px-0.5 py-3 text-ink-2 text-sm shadow-float [writing-mode:vertical-rl] hover:text-ink"
              onClick={() => runCommand("inspector")}
            >
              Inspector
            </button>
          )}
        </div>
        <StatusLine />
        <Palette />
        <KeySheet />
        <Help />
        <PieceList />
        {picture && <PictureWindow />}
      </div>
    </DropFiles>
  );
}

/** Keeps the view told whether the page is too narrow for the inspector to stand beside the lanes. */
function useNarrow(): void {
  useEffect(() => {
    const query = window.matchMedia("(max-width: 1099px)");
    const follow = (): void => setView({ narrow: query.matches, inspectorOver: false });
    follow();
    query.addEventListener("change", follow);
    return () => query.removeEventListener("change", follow);
  }, []);
}
