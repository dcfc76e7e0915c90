import { keyOf } from "@/commands/keys";
import { type Settings, setSettings, type Target } from "@/state/kept/settings";
import { Key, Picture, Segments } from "@/ui/controls";
import { cloth, Heading, line } from "./rule-menus";

/** What drags snap to, and how. */
export function SnapMenu({ set }: { set: Settings }) {
  const toggle = (t: Target): void => setSettings({ targets: set.targets.includes(t) ? set.targets.filter((x) => x !== t) : [...set.targets, t] });
  return (
    <div>
      <Heading side="any number of these">Snap to</Heading>
      <div className="grid grid-cols-3 gap-2">
        <Picture label="Grid" on={set.targets.includes("grid")} onClick={() => toggle("grid")}>
          {[20, 46, 72].map((x) => line(x))}
          {cloth(46)}
        </Picture>
        <Picture label="Clip edges" on={set.targets.includes("edge")} onClick={() => toggle("edge")}>
          {cloth(16, 30, "var(--cochineal)")}
          {cloth(47, 30)}
        </Picture>
        <Picture label="Playhead" on={set.targets.includes("playhead")} onClick={() => toggle("playhead")}>
          {line(42, "var(--madder)")}
          {cloth(42, 30)}
        </Picture>
        <Picture label="Markers" on={set.targets.includes("marker")} onClick={() => toggle("marker")}>
          <path d="M42 2h9l-3 3 3 3h-9z" fill="var(--weld)" />
          {line(42, "var(--weld)")}
          {cloth(42, 30)}
        </Picture>
        <Picture label="Range edges" on={set.targets.includes("range")} onClick={() => toggle("range")}>
          <rect x="10" y="4" width="32" height="20" fill="var(--weld)" fillOpacity="0.2" stroke="var(--weld)" strokeDasharray="3 2" />
          {cloth(42, 30)}
        </Picture>
        <Picture label="Zero crossings" on={set.targets.includes("zero")} onClick={() => toggle("zero")}>
          <path d="M8 14H88" stroke="var(--line)" />
          <path d="M8 14c8-14 16-14 24 0s16 14 24 0 16-14 24 0" fill="none" stroke="var(--fern)" strokeWidth="1.4" />
          {line(56, "var(--madder)")}
        </Picture>
        <Picture label="Hits" on={set.targets.includes("transient")} onClick={() => toggle("transient")}>
          <path d="M8 15H42l3-11 4 19 3-8h36" fill="none" stroke="var(--woad)" strokeWidth="1.4" />
          {line(42, "var(--line)")}
        </Picture>
      </div>
      <Heading>Where on the grid</Heading>
      <div className="grid grid-cols-2 gap-2">
        <Picture label="On the line" on={set.placing === "line"} onClick={() => setSettings({ placing: "line" })}>
          {line(24)}
          {line(60)}
          {cloth(29, 22, "var(--ink-3)", 0.06)}
          {cloth(60, 22)}
        </Picture>
        <Picture label="Keeping offset" on={set.placing === "offset"} onClick={() => setSettings({ placing: "offset" })}>
          {line(24)}
          {line(60)}
          {cloth(29, 22, "var(--ink-3)", 0.06)}
          {cloth(65, 22)}
        </Picture>
      </div>
      <Heading>Pull</Heading>
      <Segments
        label="Pull"
        value={set.pull}
        onChange={(pull) => setSettings({ pull })}
        options={[
          ["always", "Always land on the grid"],
          ["near", "Only when near (8 px)"],
        ]}
      />
      <Heading>Of a clip that is moved</Heading>
      <Segments
        label="Edge that snaps"
        value={set.moveEdge}
        onChange={(moveEdge) => setSettings({ moveEdge })}
        options={[
          ["start", "Its start snaps"],
          ["end", "Its end"],
          ["near", "The nearer one"],
        ]}
      />
      {set.targets.includes("edge") && (
        <>
          <Heading>Clip edges that attract</Heading>
          <Segments
            label="Edges that attract"
            value={set.edgeTargets}
            onChange={(edgeTargets) => setSettings({ edgeTargets })}
            options={[
              ["both", "Starts and ends"],
              ["starts", "Starts only"],
            ]}
          />
        </>
      )}
      <p className="mt-3 text-ink-2 text-sm">
        Tap <Key>{keyOf("snap")}</Key> to turn snapping on or off, hold it to leave the grid for one move.
      </p>
    </div>
  );
}
