import { route } from "@/server/http";
import { restoreVersion } from "@/server/version-list";

export const POST = route((_, { id }) => restoreVersion(id));
