// Evaluates expressions with the reference interpreter: a JSON list of texts in, tagged values out.
import { createRequire } from "node:module";
import { readFileSync } from "node:fs";
import { pathToFileURL } from "node:url";

const require = createRequire(process.argv[2]);
const { evaluate } = await import(pathToFileURL(require.resolve("feelin")).href);

const KINDS = { FeelDate: "date", FeelTime: "time", FeelDateTime: "date and time", FeelDuration: "duration" };

function tagged(value) {
  if (value === null || value === undefined) return null;
  if (typeof value === "number") return { number: String(value) };
  if (typeof value === "string") return { string: value };
  if (typeof value === "boolean") return { boolean: value };
  if (Array.isArray(value)) return { list: value.map(tagged) };
  const kind = KINDS[value.constructor?.name];
  if (kind) return { [kind]: String(value) };
  if (value.constructor === Object) return { context: Object.fromEntries(Object.entries(value).map(([k, v]) => [k, tagged(v)])) };
  return { other: value.constructor?.name ?? typeof value };
}

const texts = JSON.parse(readFileSync(0, "utf8"));
const found = texts.map((text) => {
  try {
    return { value: tagged(evaluate(text, {}).value) };
  } catch (error) {
    return { error: error.message };
  }
});
process.stdout.write(JSON.stringify(found));
