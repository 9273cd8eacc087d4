import { QuickForm } from "./QuickForm";

/** Quick input among the other screens: what the capture line is on a phone. */
export function CaptureScreen() {
  return (
    <main>
      <div className="head">
        <h1>Capture</h1>
      </div>
      <div className="quickform">
        <QuickForm />
      </div>
    </main>
  );
}
