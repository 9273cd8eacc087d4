import { lazy, useState, type ComponentType } from "react";

/** A component whose bundle is fetched when it is first shown, or when its load is called. */
export interface Apart {
  Apart: ComponentType;
  load: () => Promise<unknown>;
}

/** A screen in a bundle of its own. It is drawn at once where the bundle has come before it is first shown. */
export function apart<K extends string>(fetch: () => Promise<Record<K, ComponentType>>, name: K): Apart {
  let come: ComponentType | undefined;
  const load = () =>
    fetch().then((module) => {
      come = module[name];
      return { default: come };
    });
  const Late = lazy(load);
  function Apart() {
    const [Screen] = useState(() => come ?? Late); // stays one and the same as long as it stands, so that it keeps its state
    return <Screen />;
  }
  return { Apart, load };
}
