import { queryOf, route } from "@/server/http";
import { HistoryQuery, historyOf } from "@/server/versions";

export const GET = route((request, { id }) => historyOf(id, queryOf(request, HistoryQuery)));
