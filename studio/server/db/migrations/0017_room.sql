-- An edit that moves a whole piece along writes each of its clips anew: with room in their pages the rows stay where they are, and the index is left alone.
ALTER TABLE "entities" SET (fillfactor = 50);
