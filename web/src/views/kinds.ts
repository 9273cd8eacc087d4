import type { ComponentType } from "react";
import type { View } from "./queries";
import type { ShownProps } from "./shownProps";

export interface KindOfView {
  /** As it is said where one is chosen. */
  name: string;
  rank: number;
  /** It shows records by a date. */
  isDated?: boolean;
  Shows: ComponentType<ShownProps>;
}

type Kind = NonNullable<View["kind"]>;

const found = import.meta.glob<KindOfView>("./*/view.tsx", { eager: true, import: "default" });
const ranked = Object.entries(found).sort(([, a], [, b]) => a.rank - b.rank);

/** The kinds of views: a folder here has the kind for its name, and makes one in `view`. */
export const KINDS = Object.fromEntries(ranked.map(([path, kind]) => [path.split("/")[1], kind])) as Record<Kind, KindOfView>;
