import type { Schemas } from "../../api/client";

type Place = Schemas["ContainerOut"];

interface Props {
  places: Place[];
  /** The names of the level that is shown, from the top. */
  level: string[];
  /** What one place is called, and several. */
  words: [string, string];
  onLevel: (level: string[]) => void;
  onTake: (place: Place) => void;
}

const isWithin = (place: Place, level: string[]) => level.every((name, at) => place.path[at] === name);

const counted = (number: number, [one, several]: [string, string]) => `${number} ${number === 1 ? one : several}`;

/** Places chosen step by step: what stands at a level, and the way back up. */
export function PlaceSteps({ places, level, words, onLevel, onTake }: Props) {
  const there = places.filter((p) => isWithin(p, level));
  const here = there.filter((p) => p.path.length === level.length);
  const below = [...new Set(there.flatMap((p) => p.path[level.length] ?? []))];
  return (
    <div className="levels" role="group" aria-label={level.length ? `In ${level.join(" › ")}` : "All levels"}>
      {level.length > 0 && (
        <div className="quiet">
          <button type="button" className="link" onClick={() => onLevel([])}>
            All
          </button>
          {level.map((name, at) => (
            <span key={at}>
              {" › "}
              {at < level.length - 1 ? (
                <button type="button" className="link" onClick={() => onLevel(level.slice(0, at + 1))}>
                  {name}
                </button>
              ) : (
                name
              )}
            </span>
          ))}
        </div>
      )}
      {below.map((name) => (
        <button type="button" key={name} onClick={() => onLevel([...level, name])}>
          {name} › <small>{counted(there.filter((p) => p.path[level.length] === name).length, words)}</small>
        </button>
      ))}
      {here.map((place) => (
        <button type="button" key={place.id} onClick={() => onTake(place)}>
          <b>{place.name}</b>
        </button>
      ))}
    </div>
  );
}
