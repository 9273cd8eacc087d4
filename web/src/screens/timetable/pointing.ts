import { createContext, useContext } from "react";
import type { Ref } from "./model";

/** What happens when a value is pointed at: the box that was last in takes it. */
export interface Pointing {
  /** Make this box the one that takes what is pointed at. */
  aim: (take: ((ref: Ref) => void) | null) => void;
  point: (ref: Ref) => void;
  /** The values that the chosen line uses, for underlining. */
  used: Ref[];
}

export const PointingContext = createContext<Pointing>({ aim: () => undefined, point: () => undefined, used: [] });
export const usePointing = () => useContext(PointingContext);
