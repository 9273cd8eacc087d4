import { useState } from "react";
import type { Place } from "../beside/place";
import { Shelf } from "../beside/Shelf";
import { useTargets, type Database } from "../../api/queries";
import { viewOf } from "../../lines";
import { databaseOf } from "./carried";
import { whenOf, type Document } from "./model";

/** Where a workflow takes from: its folder, or its database. */
function sourceOf(document: Document): Place | null {
  const when = whenOf(document);
  if (when.own?.kind === "record" && when.own.database) return { kind: "database", id: when.own.database };
  return when.connection && when.container ? { kind: "app", connection: when.connection, container: when.container } : null;
}

/** Where its first line that brings something there brings it. */
function targetOf(document: Document, targets: Database[]): Place | null {
  for (const line of document.lines) {
    const place = viewOf(line.verb).target?.(line, databaseOf(line, document, targets));
    if (place) return place;
  }
  return null;
}

/** Source and target under the grid, live: to see with one's own eyes that an item crossed. */
export function Dock({ document }: { document: Document }) {
  const targets = useTargets();
  const [left, setLeft] = useState<Place | null>(); // what was chosen by hand; until then, as the lines say
  const [right, setRight] = useState<Place | null>();
  return (
    <div className="beside docked" aria-label="Side by side" role="region">
      <Shelf label="Source" place={left === undefined ? sourceOf(document) : left} onPlace={setLeft} />
      <Shelf label="Target" place={right === undefined ? targetOf(document, targets) : right} onPlace={setRight} />
    </div>
  );
}
