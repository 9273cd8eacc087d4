import type { ReactNode } from "react";
import { Link } from "react-router";

/** A record that a line wrote or found, as it is kept with the run. An item of an app has its own link, and its id is a text. */
export interface WroteRecord {
  database: number;
  database_name: string;
  record: number | string | null;
  link?: string | null;
}

/** Opens a record here, or an item in its app. */
export function RecordLink({ of, children }: { of: WroteRecord; children: ReactNode }) {
  if (typeof of.record === "number") return <Link to={`/databases/${of.database}/${of.record}`}>{children}</Link>;
  if (!of.link) return <>{children}</>;
  return (
    <a href={of.link} target="_blank" rel="noreferrer">
      {children}
    </a>
  );
}
