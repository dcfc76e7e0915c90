/** It is written for an audio worklet; see `stretcher.ts` for what of it is used. */
declare module "signalsmith-stretch";
