export * from "./edit/errors";
export * from "./edit/registry";
export * from "./model/document";
export * from "./model/schema";
