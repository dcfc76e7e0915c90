import { SignIn } from "@/panels/files/SignIn";

export default async function Page({ searchParams }: { searchParams: Promise<{ to?: string }> }) {
  const { to = "/" } = await searchParams;
  // Only to a page of this server: "//elsewhere" would lead away.
  return <SignIn to={/^\/(?![/\\])/.test(to) ? to : "/"} />;
}
