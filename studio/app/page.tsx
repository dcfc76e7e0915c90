import { Projects } from "@/panels/projects/Projects";

export default function Page() {
  return <Projects />;
}
