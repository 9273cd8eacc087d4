import { Button } from "@mui/material";
import { useLine } from "../../screens/timetable/lineContext";
import { conditionWords } from "../../screens/timetable/conditionWords";
import { sentenceOf } from "..";
import { newId, type Cell, type Decide, type Document } from "../../screens/timetable/model";
import { addWay, withinOf } from "../../screens/timetable/nesting";

interface Props {
  line: Decide;
  cells: Cell[];
  setDocument: (document: Document) => void;
  choose: (line: string) => void;
}

/** The ways of a decision, from the top: the first that holds is taken. How many of the samples go each. */
export function DecidePanel({ line, cells, setDocument, choose }: Props) {
  const { document, rehearsal } = useLine();
  const ways = document.lines.filter((l) => withinOf(l) === line.id);
  const samples = Object.values(rehearsal?.cells ?? {});
  const add = () => {
    const id = newId();
    setDocument(addWay(document, line.id, id));
    choose(id);
  };
  return (
    <>
      <p className="quiet">Checked from the top; the first match wins. If none matches, the last branch is taken.</p>
      <table aria-label="Branches of this decision">
        <colgroup>
          <col className="w-200" />
          <col />
          <col className="w-130" />
        </colgroup>
        <tbody>
          {ways.map((way) => {
            const { verb, object } = sentenceOf(way, undefined, []);
            const taken = samples.filter((s) => s.some((c) => c.line === way.id && c.state === "taken")).length;
            const here = cells.some((c) => c.line === way.id && c.state === "taken");
            return (
              <tr key={way.id} className={here ? "chosen" : undefined}>
                <td>
                  <button className="link" onClick={() => choose(way.id)}>
                    {verb} {object}
                  </button>
                </td>
                <td className="quiet">{way.verb === "way" ? conditionWords(way, rehearsal) : ""}</td>
                <td className="num">
                  {taken} of {samples.length} samples
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <Button className="above-2" onClick={add}>
        Add branch
      </Button>
    </>
  );
}
