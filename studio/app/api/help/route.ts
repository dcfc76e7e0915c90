import { route } from "@/server/http/http";
import { guide } from "@/server/pieces/guide";

export const dynamic = "force-dynamic";

export const GET = route(async () => ({ pages: await guide() }));
