import { Editor } from "@/panels/Editor";

export default async function Page({ params, searchParams }: { params: Promise<{ project: string }>; searchParams: Promise<{ version?: string }> }) {
  return <Editor projectId={(await params).project} versionId={(await searchParams).version} />;
}
