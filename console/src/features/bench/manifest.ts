import { type Document, isMap, isScalar, isSeq, parseDocument, type Scalar, type YAMLSeq } from "yaml";

/** Where a value stands in a manifest: keys and numbers of items. */
export type Place = readonly (string | number)[];

/** What the form shows of a variant. */
export interface VariantForm {
  name: string;
  fits: string;
  requires: string;
  install: string;
  limit: string;
  remove: string;
  launch: string;
  proofs: readonly { key: string; subject: string }[];
}

/** What the form shows of a manifest. */
export interface ManifestForm {
  app: string;
  name: string;
  version: string;
  publisher: string;
  summary: string;
  settings: readonly { name: string; says: string; type: string; value: string }[];
  variants: readonly VariantForm[];
}

/** The kinds of presence checks that a line of the form can say. */
export const PROOFS = ["version-in", "file", "program", "product", "version-of", "service", "receipt", "command"] as const;

/** The manifest as a form; null where the text is no mapping, so that there is nothing to show. */
export function readForm(text: string): ManifestForm | null {
  const document = parse(text);
  if (!document) return null;
  const at = (place: Place) => textAt(document, place);
  const variants = itemsAt(document, ["variants"]).map((_, index) => {
    const inside = (...rest: Place) => ["variants", index, ...rest];
    return {
      name: at(inside("name")),
      fits: at(inside("fits")),
      requires: at(inside("requires")),
      install: wordsAt(document, inside("install", "run")),
      limit: at(inside("install", "limit")),
      remove: wordsAt(document, inside("remove", "run")),
      launch: wordsAt(document, inside("launch", "run")),
      proofs: itemsAt(document, inside("present")).map((check, number) => {
        const key = (isMap(check) && PROOFS.find((each) => check.has(each))) || "";
        return { key, subject: key === "command" ? wordsAt(document, inside("present", number, key)) : at(inside("present", number, key)) };
      }),
    };
  });
  const settings = itemsAt(document, ["settings"]).map((_, index) => ({ name: at(["settings", index, "name"]), says: at(["settings", index, "says"]), type: at(["settings", index, "type"]) || "text", value: at(["settings", index, "default"]) }));
  return { app: at(["app"]), name: at(["name"]), version: at(["version"]), publisher: at(["publisher"]), summary: at(["summary"]), settings, variants };
}

/** The text with one value changed; everything else, comments too, stays as it is. An empty value takes the key away. */
export function writeText(text: string, place: Place, value: string): string {
  return change(text, (document) => {
    if (value === "") {
      document.deleteIn(place);
      return;
    }
    const known = document.getIn(place, true);
    if (isScalar(known)) {
      known.value = value;
      // What was a guess is now somebody's word.
      known.comment = null;
    } else {
      document.setIn(place, value);
    }
  });
}

/** The text with a command changed: its words become the items of a list. */
export function writeWords(text: string, place: Place, line: string): string {
  return change(text, (document) => {
    const words = split(line);
    if (words.length === 0 && place.at(-2) !== "install") {
      document.deleteIn(place.slice(0, -1));
      return;
    }
    const list = document.createNode(words) as YAMLSeq;
    list.flow = true;
    document.setIn(place, list);
  });
}

/** The text with another presence check in the place of one, or behind the others. */
export function writeProof(text: string, variant: number, index: number, key: string, subject: string): string {
  return change(text, (document) => {
    const check = document.createNode({ [key]: key === "receipt" ? "yes" : key === "command" ? split(subject) : subject });
    const place = ["variants", variant, "present"];
    if (!isSeq(document.getIn(place, true)) || itemsAt(document, place).length === 0) {
      const list = document.createNode([]) as YAMLSeq;
      list.flow = false;
      list.add(check);
      document.setIn(place, list);
    } else {
      document.setIn([...place, index], check);
    }
  });
}

/** The words of a command line, as a shell would split it: blanks separate, quotes hold together. */
export function split(line: string): string[] {
  const words: string[] = [];
  for (const match of line.matchAll(/(?:[^\s"']+|"(?:[^"\\]|\\.)*"?|'[^']*'?)+/g)) {
    words.push(match[0].replace(/"((?:[^"\\]|\\.)*)"?|'([^']*)'?/g, (_, double?: string, single?: string) => (double !== undefined ? double.replace(/\\(["\\])/g, "$1") : (single ?? ""))));
  }
  return words;
}

/** Words as one line that splits into the same words. */
export function join(words: readonly string[]): string {
  return words.map((word) => (word !== "" && !/[\s"']/.test(word) ? word : `"${word.replace(/(["\\])/g, "\\$1")}"`)).join(" ");
}

function parse(text: string): Document | null {
  const document = parseDocument(text, { keepSourceTokens: false, strict: false });
  return document.errors.length === 0 && isMap(document.contents) ? document : null;
}

function change(text: string, act: (document: Document) => void): string {
  const document = parse(text);
  if (!document) return text;
  act(document);
  return document.toString({ lineWidth: 0, flowCollectionPadding: false, defaultStringType: "PLAIN" });
}

function itemsAt(document: Document, place: Place): unknown[] {
  const node = document.getIn(place, true);
  return isSeq(node) ? node.items : [];
}

function textAt(document: Document, place: Place): string {
  const node = document.getIn(place, true);
  return isScalar(node) ? written(node) : "";
}

/** A scalar as it was written: `7.20` is not 7.2, and `yes` is not true. */
function written(node: Scalar): string {
  return node.value === null || node.value === undefined ? "" : typeof node.value === "string" ? node.value : (node.source ?? String(node.value));
}

function wordsAt(document: Document, place: Place): string {
  const node = document.getIn(place, true);
  if (isScalar(node)) return written(node);
  return isSeq(node) ? join(node.items.map((item) => (isScalar(item) ? written(item) : ""))) : "";
}
