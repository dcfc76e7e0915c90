import { route } from "@/server/http";
import { cancelPrint, getPrint } from "@/server/prints";

export const GET = route((_, { id }) => getPrint(id));
export const DELETE = route((_, { id }) => cancelPrint(id));
