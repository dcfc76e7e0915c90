import { route } from "@/server/http/http";
import { cancelPrint, getPrint } from "@/server/out/prints";

export const GET = route((_, { id }) => getPrint(id));
export const DELETE = route((_, { id }) => cancelPrint(id));
