/** Imports point downwards only (docs/architecture.md). */
const core = (folders) => `^core/src/(${folders})/`;
module.exports = {
  forbidden: [
    { name: "no-circles", severity: "error", from: {}, to: { circular: true } },
    {
      name: "core-stands-alone",
      comment: "core knows no page, no server, no Node",
      severity: "error",
      from: { path: "^core/src", pathNot: "\\.test\\.ts$" },
      to: { pathNot: "^core/src|node_modules/zod" },
    },
    {
      name: "time-is-lowest",
      severity: "error",
      from: { path: core("time"), pathNot: "\\.test\\.ts$" },
      to: { path: core("model|edit|snap|seam|dsp|analysis|render|media|interchange|testing") },
    },
    {
      name: "model-on-time",
      severity: "error",
      from: { path: core("model") },
      to: { path: core("edit|snap|seam|analysis|render|media|interchange") },
    },
    {
      name: "dsp-media-analysis-low",
      severity: "error",
      from: { path: core("dsp|media|analysis"), pathNot: "\\.test\\.ts$" },
      to: { path: core("edit|snap|seam|render") },
    },
    { name: "render-below-edit", severity: "error", from: { path: core("render"), pathNot: "\\.test\\.ts$" }, to: { path: core("edit|snap|seam") } },
    {
      name: "tests-only",
      severity: "error",
      from: { path: "^core/src", pathNot: "\\.test\\.ts$|^core/src/testing" },
      to: { path: "^core/src/testing" },
    },
    {
      name: "server-knows-no-page",
      severity: "error",
      from: { path: "^studio/server" },
      to: { path: "^studio/(app|panels|timeline|ui|state|engine|commands)" },
    },
    {
      name: "page-knows-no-server",
      severity: "error",
      from: { path: "^studio/(panels|timeline|ui|state|engine|commands)" },
      to: { path: "^studio/server" },
    },
    { name: "ui-is-low", severity: "error", from: { path: "^studio/ui" }, to: { path: "^studio/(panels|timeline|engine|commands)" } },
    { name: "state-is-low", severity: "error", from: { path: "^studio/state" }, to: { path: "^studio/(panels|timeline|ui|engine|commands|app)" } },
    { name: "studio-knows-no-tools", severity: "error", from: { path: "^studio" }, to: { path: "^(demo|bench|e2e|scripts)/" } },
  ],
  options: {
    doNotFollow: { path: "node_modules" },
    exclude: { path: "node_modules|\\.next|public" },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: "tsconfig.boundaries.json" },
    enhancedResolveOptions: { exportsFields: ["exports"], conditionNames: ["import", "default"], extensions: [".ts", ".tsx", ".js", ".mjs"] },
  },
};
