-- Gates and compressors work otherwise from here on: samples made before and after must not lie side by side. They are made again as clips need them.
DELETE FROM "made_pcm" WHERE "made_id" IN (SELECT "id" FROM "made" WHERE "making"->'treat'->'chain' @> '[{"kind": "gate"}]' OR "making"->'treat'->'chain' @> '[{"kind": "compressor"}]');
