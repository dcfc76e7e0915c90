import { queryOf, route } from "@/server/http/http";
import { HistoryQuery, historyOf } from "@/server/pieces/versions";

export const GET = route((request, { id }) => historyOf(id, queryOf(request, HistoryQuery)));
