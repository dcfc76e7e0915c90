import { preload } from "react-dom";
import { Editor } from "@/panels/Editor";
import { firstVersion } from "@/server/projects";

export default async function Page({ params, searchParams }: { params: Promise<{ project: string }>; searchParams: Promise<{ version?: string }> }) {
  const { project } = await params;
  const { version } = await searchParams;
  // What the editor asks for first is on its way while its code still comes.
  const opened = version ?? (await firstVersion(project));
  preload(`/api/projects/${encodeURIComponent(project)}`, { as: "fetch", crossOrigin: "anonymous" });
  if (opened) preload(`/api/versions/${encodeURIComponent(opened)}`, { as: "fetch", crossOrigin: "anonymous" });
  return <Editor projectId={project} versionId={version} />;
}
