import { route } from "@/server/http";
import { compareVersions } from "@/server/version-list";

export const GET = route((_, { id, other }) => compareVersions(id, other));
