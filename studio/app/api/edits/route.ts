import { editSchemas } from "@wet-thread/core/edit/registry";
import { route } from "@/server/http/http";

export const dynamic = "force-dynamic";

export const GET = route(async () => ({ edits: editSchemas() }));
