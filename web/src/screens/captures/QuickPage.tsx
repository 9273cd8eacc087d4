import { useEffect } from "react";
import { QuickForm } from "./QuickForm";

/** Quick input on a page of its own, as small as a phone, for bookmark buttons and what a phone shares. */
export function QuickPage() {
  useEffect(() => {
    document.title = "Quick input";
  }, []);
  return (
    <main className="quickpage">
      <h1>Quick input</h1>
      <QuickForm />
    </main>
  );
}
