import { route } from "@/server/http";
import { historyOf } from "@/server/versions";

export const GET = route((_, { id }) => historyOf(id));
