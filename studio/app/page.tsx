import { Projects } from "@/panels/Projects";

export default function Page() {
  return <Projects />;
}
