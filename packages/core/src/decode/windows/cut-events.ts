import type { DecodeProblem } from "../../base/bytes/index.js";

/** An event's text, or why there is none, with its number in the document. */
export type CutEvent =
  | { readonly number: number; readonly xml: string }
  | { readonly number: number; readonly problem: DecodeProblem };

const MAX_EVENT = 1024 * 1024;
const MAX_NAME = 256;
/** What is passed over whole, by how it begins: a `>` or a tag within is none (XML 1.0 sections 2.5 to 2.7). */
const SECTIONS = [
  ["<!--", "-->"],
  ["<![CDATA[", "]]>"],
  ["<?", "?>"],
] as const;
const LONGEST_OPENING = 9;

/**
 * Cuts the Event elements out of a document of any size, as it comes: with any prefix, under any root or none. Memory is one event's;
 * time is linear in the text. A document type declaration ends it. What is lost is a problem, one each.
 */
export class EventCutter {
  private text = "";
  /** Up to where the text has been looked at. */
  private at = 0;
  /** Where the event begins that is being read; -1: within none. */
  private start = -1;
  /** Its qualified name; null: within none, and none is being passed over. */
  private open: string | null = null;
  /** Below its user data, which may hold anything, an Event of its own too. */
  private userData: string | null = null;
  /** Events of the same name within its user data. */
  private nested = 0;
  /** How the section ends in which the text stops. */
  private closing: string | null = null;
  /** Within a tag: of which name, and in which quotes. */
  private tag: { readonly name: string; readonly isEnd: boolean; quote: string } | null = null;
  private tagStart = 0;
  private number = 0;
  private isForbidden = false;

  /** @param text what comes next of the document */
  *push(text: string): Generator<CutEvent> {
    if (this.isForbidden) return;
    this.text += text;
    yield* this.walk();
    this.forget();
  }

  /** The document is over. */
  *end(): Generator<CutEvent> {
    if (this.isForbidden) return;
    if (this.start >= 0) yield this.lost("TRUNCATED", `XML: expected </${this.open}>, got the end`);
    else if (this.tag !== null)
      yield this.lost("TRUNCATED", `XML: expected the end of <${this.tag.name}, got that of the document`, 1);
    else if (this.closing !== null) yield this.lost("TRUNCATED", `XML: expected ${this.closing}, got the end`, 1);
    else if (this.number === 0) yield this.lost("BAD_XML", "XML: expected Event elements, got none", 1);
  }

  private *walk(): Generator<CutEvent> {
    for (;;) {
      if (this.start >= 0 && this.at - this.start > MAX_EVENT) {
        // its end is looked for, so that what it holds is not taken for events
        this.start = -1;
        yield this.lost("TOO_LONG", "XML: expected events of at most 1 MiB");
      }
      if (this.closing !== null) {
        if (!this.pass(this.closing)) return;
        this.closing = null;
      } else if (this.tag !== null) {
        const ended = this.tagEnd();
        if (ended === null) return;
        yield* this.tagged(ended);
      } else {
        const next = this.text.indexOf("<", this.at);
        this.at = next < 0 ? this.text.length : next;
        if (next < 0 || !this.opens()) return;
        if (this.isForbidden) {
          yield this.lost(
            "FORBIDDEN_XML",
            "XML: a document type declaration is not accepted; nothing after it was taken",
            1,
          );
          return;
        }
      }
    }
  }

  /** Passes over to behind a text. @returns false when it has not come yet */
  private pass(what: string): boolean {
    const end = this.text.indexOf(what, this.at);
    this.at = end < 0 ? Math.max(this.at, this.text.length - what.length + 1) : end + what.length;
    return end >= 0;
  }

  /** Enters what begins at `<`. @returns false when more is needed to tell */
  private opens(): boolean {
    const { text, at } = this;
    const head = text.slice(at, at + LONGEST_OPENING);
    for (const [opening, closing] of SECTIONS) {
      if (head.startsWith(opening)) {
        this.at += opening.length;
        this.closing = closing;
        return true;
      }
      if (opening.startsWith(head)) return false;
    }
    if (head[1] === "!") {
      this.isForbidden = true;
      return true;
    }
    const isEnd = head[1] === "/";
    const from = at + (isEnd ? 2 : 1);
    let end = from;
    while (end < text.length && end - from < MAX_NAME && !/[\s/>"'=<]/.test(text[end]!)) end++;
    if (end === text.length) return false;
    this.tag = { name: text.slice(from, end), isEnd, quote: "" };
    this.tagStart = at;
    this.at = end;
    return true;
  }

  /** Finds the tag's end; quoted values may hold a `>`. @returns null when it has not come yet */
  private tagEnd(): { readonly name: string; readonly isEnd: boolean; readonly isEmpty: boolean } | null {
    const tag = this.tag!;
    for (let i = this.at; i < this.text.length; i++) {
      const c = this.text[i]!;
      // `<` stands in no tag, quotes or not (XML 1.0 section 3.1): this one was cut off, and what begins here is another
      if (c === "<" || (c === ">" && tag.quote === "")) {
        this.at = c === ">" ? i + 1 : i;
        this.tag = null;
        return { name: tag.name, isEnd: tag.isEnd, isEmpty: c === ">" && this.text[i - 1] === "/" };
      }
      if (c === tag.quote) tag.quote = "";
      else if (tag.quote === "" && (c === '"' || c === "'")) tag.quote = c;
    }
    this.at = this.text.length;
    return null;
  }

  private *tagged({ name, isEnd, isEmpty }: { name: string; isEnd: boolean; isEmpty: boolean }): Generator<CutEvent> {
    const kind = localName(name);
    if (isEnd) {
      if (name === this.userData && this.nested === 0) this.userData = null;
      else if (name === this.open && this.nested > 0) this.nested--;
      else if (name === this.open) yield* this.close();
    } else if (kind === "UserData" && this.open !== null && !isEmpty) this.userData ??= name;
    else if (kind === "Event") {
      if (this.userData !== null) {
        if (name === this.open && !isEmpty) this.nested++;
        return;
      }
      if (this.start >= 0) yield this.lost("TRUNCATED", `XML: expected </${this.open}>, got another event`);
      this.number++;
      this.start = this.tagStart;
      this.open = name;
      if (isEmpty) yield* this.close();
    }
  }

  private *close(): Generator<CutEvent> {
    if (this.start >= 0) yield { number: this.number, xml: this.text.slice(this.start, this.at) };
    this.start = -1;
    this.open = null;
    this.userData = null;
    this.nested = 0;
  }

  /** Lets go of the text that nothing will ask for any more. */
  private forget(): void {
    // a tag longer than an event may be is no event that can be read
    const tagStart = this.tag === null ? this.at : Math.max(this.tagStart, this.at - MAX_EVENT);
    const from = this.start >= 0 ? this.start : tagStart;
    if (from === 0) return;
    this.text = this.text.slice(from);
    this.at -= from;
    this.tagStart = Math.max(0, this.tagStart - from);
    if (this.start >= 0) this.start = 0;
  }

  private lost(code: DecodeProblem["code"], message: string, more = 0): CutEvent {
    return { number: this.number + more, problem: { code, offset: 0, message } };
  }
}

const localName = (name: string): string => name.slice(name.indexOf(":") + 1);
