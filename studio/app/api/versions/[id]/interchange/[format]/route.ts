import { askApart } from "@/server/apart/ask";
import { ApiError } from "@/server/http/errors";
import { attachment, queryOf, route } from "@/server/http/http";
import { FORMATS, type Format, OutQuery, type SeamRow, written } from "@/server/pieces/interchange";
import { loadVersion } from "@/server/pieces/versions";

/** A version in another program's format, or with `check=1` what of it that format can't hold. */
export const GET = route(async (request, { id, format }) => {
  if (!(FORMATS as readonly string[]).includes(format))
    throw new ApiError(404, "not-found", `There is no format "${format.slice(0, 40)}" here; there are ${FORMATS.join(" and ")}.`);
  const query = queryOf(request, OutQuery);
  const { doc, name } = await loadVersion(id);
  const measured = format === "csv" && query.what === "seams" && !query.check;
  const seams = measured ? ((await (await askApart(request, "seams", { versionId: id })).json()) as { seams: SeamRow[] }).seams : [];
  const file = await written(doc, name, format as Format, query, seams);
  if (query.check) return { left: file.left };
  return new Response(file.bytes, {
    headers: { "content-type": file.type, "content-disposition": attachment(file.name), "cache-control": "no-store" },
  });
});
