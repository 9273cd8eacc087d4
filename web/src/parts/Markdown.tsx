import { lazy, Suspense } from "react";
import type { Options } from "react-markdown";

const Late = lazy(() => import("react-markdown")); // large, and most screens show none

/** A text in Markdown; as it was written, until what sets it has come. */
export function Markdown(props: Options) {
  return (
    <Suspense fallback={<p className="pre">{props.children}</p>}>
      <Late {...props} />
    </Suspense>
  );
}
