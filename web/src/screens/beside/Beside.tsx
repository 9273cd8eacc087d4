import { useSearchParams } from "react-router";
import { read, write, type Place } from "./place";
import { Shelf } from "./Shelf";

/** Any two containers next to each other, live, to watch things cross. */
export function Beside() {
  const [params, setParams] = useSearchParams();
  const place = (side: string) => (next: Place | null) =>
    setParams((now) => {
      now.set(side, write(next));
      return now;
    });
  return (
    <main>
      <div className="head">
        <h1>Side by side</h1>
      </div>
      <div className="beside">
        <Shelf label="Left" place={read(params.get("left"))} onPlace={place("left")} />
        <Shelf label="Right" place={read(params.get("right"))} onPlace={place("right")} />
      </div>
    </main>
  );
}
