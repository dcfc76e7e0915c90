import { guide } from "@/server/guide";
import { route } from "@/server/http";

export const dynamic = "force-dynamic";

export const GET = route(async () => ({ pages: await guide() }));
