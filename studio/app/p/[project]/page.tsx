import { Editor } from "@/panels/frame/Editor";
import { firstVersion } from "@/server/pieces/projects";

export default async function Page({ params, searchParams }: { params: Promise<{ project: string }>; searchParams: Promise<{ version?: string }> }) {
  const { project } = await params;
  const { version } = await searchParams;
  // What the editor asks for first is on its way while its code still comes.
  const opened = version ?? (await firstVersion(project));
  const asked = [`/api/projects/${encodeURIComponent(project)}`, ...(opened ? [`/api/versions/${encodeURIComponent(opened)}`] : [])];
  return (
    <>
      {asked.map((address) => (
        <link key={address} rel="preload" as="fetch" href={address} crossOrigin="anonymous" />
      ))}
      <Editor projectId={project} versionId={version} />
    </>
  );
}
