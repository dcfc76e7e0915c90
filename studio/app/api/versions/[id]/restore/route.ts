import { route } from "@/server/http/http";
import { restoreVersion } from "@/server/pieces/version-list";

export const POST = route((_, { id }) => restoreVersion(id));
