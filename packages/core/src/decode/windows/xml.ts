import { DecodeError } from "../../base/bytes/index.js";

/** An element of the small part of XML that event records use. Names are without prefix; namespaces are not compared. */
export interface XmlElement {
  readonly name: string;
  readonly attributes: readonly (readonly [name: string, value: string])[];
  readonly children: readonly XmlElement[];
  /** Text directly inside, entities resolved. */
  readonly text: string;
  /** Where it begins and ends in the document. */
  readonly start: number;
  readonly end: number;
}

const MAX_DEPTH = 64;
const MAX_ELEMENTS = 100_000;
const MAX_SPACE = 200;
const ENTITIES: Readonly<Record<string, string>> = { amp: "&", lt: "<", gt: ">", quot: '"', apos: "'" };

/**
 * Reads elements standing one after another (a document has one; forwarders send several without a root). A document type
 * declaration is refused whatever it holds: entities of its own make small documents grow without end or name files.
 * Linear in the text.
 * @throws {DecodeError} BAD_XML or FORBIDDEN_XML with the offset
 */
export class XmlReader {
  private at = 0;
  private elements = 0;
  /** From where on a text does not come any more. */
  private readonly gone = new Map<string, number>();

  constructor(private readonly text: string) {}

  /** The next element at the top, or null at the end. */
  next(): XmlElement | null {
    this.skipMisc();
    if (this.at >= this.text.length) return null;
    if (this.text[this.at] !== "<") throw this.bad("expected an element");
    this.elements = 0;
    return this.element(0);
  }

  private element(depth: number): XmlElement {
    if (depth > MAX_DEPTH) throw this.forbidden(`expected at most ${MAX_DEPTH} elements within one another`);
    if (++this.elements > MAX_ELEMENTS) throw this.forbidden(`expected at most ${MAX_ELEMENTS} elements`);
    const start = this.at;
    const { qualified, name, attributes, closed } = this.startTag();
    const children: XmlElement[] = [];
    let own = "";
    while (!closed) {
      const open = this.find("<", this.at);
      if (open < 0) throw this.bad(`expected </${qualified}>`);
      if (open > this.at) own += this.resolve(this.at, open);
      this.at = open;
      if (this.text.startsWith("</", open)) {
        const end = this.find(">", open);
        // no longer than its name and some space: a wrong one is not looked at to its end
        const isEnd = end >= 0 && end - open < qualified.length + MAX_SPACE;
        if (!isEnd || this.text.slice(open + 2, end).trimEnd() !== qualified)
          throw this.bad(`expected </${qualified}>`);
        this.at = end + 1;
        break;
      }
      if (this.text.startsWith("<![CDATA[", open)) {
        const end = this.find("]]>", open);
        if (end < 0) throw this.bad("expected ]]>");
        own += this.text.slice(open + 9, end);
        this.at = end + 3;
      } else if (!this.skipOne()) children.push(this.element(depth + 1));
    }
    return { name, attributes, children, text: own, start, end: this.at };
  }

  private startTag(): { qualified: string; name: string; attributes: [string, string][]; closed: boolean } {
    this.at++;
    const qualified = this.name();
    const attributes: [string, string][] = [];
    for (;;) {
      this.skipSpace();
      const c = this.text[this.at];
      if (c === ">") {
        this.at++;
        return { qualified, name: local(qualified), attributes, closed: false };
      }
      if (c === "/" && this.text[this.at + 1] === ">") {
        this.at += 2;
        return { qualified, name: local(qualified), attributes, closed: true };
      }
      const name = this.name();
      this.skipSpace();
      if (this.text[this.at] !== "=") throw this.bad(`expected = after the attribute ${name}`);
      this.at++;
      this.skipSpace();
      const quote = this.text[this.at];
      if (quote !== '"' && quote !== "'") throw this.bad(`expected a quoted value of ${name}`);
      const end = this.find(quote, this.at + 1);
      if (end < 0) throw this.bad(`expected the end of the value of ${name}`);
      // declarations of namespaces say nothing of the event
      if (name !== "xmlns" && !name.startsWith("xmlns:"))
        attributes.push([local(name), this.resolve(this.at + 1, end)]);
      this.at = end + 1;
    }
  }

  private name(): string {
    const start = this.at;
    while (this.at < this.text.length && isNameChar(this.text.charCodeAt(this.at))) this.at++;
    if (this.at === start) throw this.bad("expected a name");
    return this.text.slice(start, this.at);
  }

  /** Text with the five entities of XML and character references resolved; there are no others. */
  private resolve(from: number, to: number): string {
    const raw = this.text.slice(from, to);
    let amp = raw.indexOf("&");
    if (amp < 0) return raw;
    let out = "";
    let done = 0;
    while (amp >= 0) {
      const semicolon = raw.indexOf(";", amp);
      const name = semicolon < 0 || semicolon - amp > 10 ? null : raw.slice(amp + 1, semicolon);
      const value =
        name === null
          ? null
          : name[0] === "#"
            ? character(name)
            : Object.hasOwn(ENTITIES, name)
              ? ENTITIES[name]!
              : null;
      if (value === null) {
        this.at = from + amp;
        throw this.forbidden(`unknown entity “${raw.slice(amp, amp + 12)}”`);
      }
      out += raw.slice(done, amp) + value;
      done = semicolon + 1;
      amp = raw.indexOf("&", done);
    }
    return out + raw.slice(done);
  }

  private skipMisc(): void {
    do this.skipSpace();
    while (this.at < this.text.length && this.skipOne());
  }

  /** Skips a comment, processing instruction or declaration. @returns whether there was one */
  private skipOne(): boolean {
    const { text, at } = this;
    if (text.startsWith("<!--", at)) return this.skipTo("-->", "a comment");
    if (text.startsWith("<?", at)) return this.skipTo("?>", "an instruction");
    if (text.startsWith("<!", at)) throw this.forbidden("a document type declaration is not accepted");
    return false;
  }

  /** Where a text comes next, or -1; a text that is known not to come any more is not looked for again. */
  private find(what: string, from: number): number {
    if (from >= (this.gone.get(what) ?? Number.POSITIVE_INFINITY)) return -1;
    const found = this.text.indexOf(what, from);
    if (found < 0) this.gone.set(what, from);
    return found;
  }

  private skipTo(end: string, what: string): true {
    const found = this.find(end, this.at);
    if (found < 0) throw this.bad(`expected the end of ${what}`);
    this.at = found + end.length;
    return true;
  }

  private skipSpace(): void {
    for (;;) {
      const c = this.text.charCodeAt(this.at);
      if (c !== 32 && c !== 10 && c !== 13 && c !== 9 && c !== 0xfeff && c !== 0) return;
      this.at++;
    }
  }

  private bad(message: string): DecodeError {
    return new DecodeError("BAD_XML", this.at, `XML: ${message} at ${this.at}`);
  }

  private forbidden(message: string): DecodeError {
    return new DecodeError("FORBIDDEN_XML", this.at, `XML: ${message} at ${this.at}`);
  }
}

function isNameChar(c: number): boolean {
  return (
    (c >= 97 && c <= 122) || (c >= 65 && c <= 90) || (c >= 48 && c <= 58) || c === 95 || c === 45 || c === 46 || c > 127
  );
}

const local = (name: string): string => {
  const colon = name.indexOf(":");
  return colon < 0 ? name : name.slice(colon + 1);
};

/** A character reference, or null when it names no character XML allows (XML 1.0, section 2.2). */
function character(name: string): string | null {
  const hex = name[1] === "x" || name[1] === "X";
  const digits = name.slice(hex ? 2 : 1);
  if (!(hex ? /^[0-9a-fA-F]{1,6}$/ : /^[0-9]{1,7}$/).test(digits)) return null;
  const code = Number.parseInt(digits, hex ? 16 : 10);
  if (code > 0x10_ffff || (code >= 0xd800 && code <= 0xdfff)) return null;
  // control characters are not XML's, yet forwarders write them: shown as marks
  return code === 0 ? "\u2400" : String.fromCodePoint(code);
}
