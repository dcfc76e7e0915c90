import { connection } from "next/server";
import { Projects } from "@/panels/projects/Projects";
import { passphrase } from "@/server/http/auth";

export default async function Page() {
  // Whether people sign in is known to the server that runs, not to the one that builds.
  await connection();
  return <Projects signedIn={passphrase() !== null} />;
}
