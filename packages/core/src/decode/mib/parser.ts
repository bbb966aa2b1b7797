import { type Token, tokenize } from "./lexer.js";
import { MibError } from "./mib-error.js";
import type { Assignment, MibModule, OidPart, Syntax } from "./module.js";

/** Macros whose clauses end in an OID value and of which only the name matters. */
const NAMED_ONLY = new Set([
  "MODULE-IDENTITY",
  "OBJECT-IDENTITY",
  "OBJECT-GROUP",
  "NOTIFICATION-GROUP",
  "MODULE-COMPLIANCE",
  "AGENT-CAPABILITIES",
]);

/** The modules of a file (most hold one). @throws {MibError} with line and column */
export function parseMib(text: string): MibModule[] {
  const parser = new MibParser(tokenize(text));
  const out: MibModule[] = [];
  while (!parser.atEnd()) out.push(parser.module());
  if (out.length === 0) throw new MibError("NO_MODULE", 1, 1, "expected a module (NAME DEFINITIONS ::= BEGIN … END)");
  return out;
}

class MibParser {
  private at = 0;

  constructor(private readonly tokens: readonly Token[]) {}

  atEnd(): boolean {
    return this.peek().kind === "end";
  }

  module(): MibModule {
    const name = this.name("a module's name");
    if (this.is("{")) this.skipBraces();
    this.expect("DEFINITIONS");
    while (!this.is("::=")) this.next("::=");
    this.expect("::=");
    this.expect("BEGIN");
    const imports: MibModule["imports"][number][] = [];
    if (this.is("EXPORTS")) while (this.next("; after EXPORTS").text !== ";");
    if (this.is("IMPORTS")) {
      this.next("IMPORTS");
      let names: string[] = [];
      while (!this.is(";")) {
        if (this.is("FROM")) {
          const { line, column } = this.next("FROM");
          imports.push({ from: this.name("a module's name"), names, line, column });
          names = [];
        } else if (this.is(",")) this.next(",");
        else names.push(this.name("an imported name"));
      }
      this.expect(";");
    }
    const assignments: Assignment[] = [];
    while (!this.is("END")) {
      const assignment = this.assignment();
      if (assignment) assignments.push(assignment);
    }
    this.expect("END");
    return { name, imports, assignments };
  }

  private assignment(): Assignment | null {
    const first = this.peek();
    const name = this.name("a definition or END");
    const place = { line: first.line, column: first.column };
    if (this.is("MACRO")) {
      while (!this.is("END")) this.next("END of the macro");
      this.expect("END");
      return null;
    }
    if (this.is("::=")) return this.typeAssignment(name, place);
    const macro = this.next("a definition");
    switch (macro.text) {
      case "OBJECT":
        this.expect("IDENTIFIER");
        return { kind: "oid", name, ...place, description: null, value: this.oidValue() };
      case "OBJECT-TYPE":
        return this.objectType(name, place);
      case "NOTIFICATION-TYPE": {
        const clauses = this.clauses();
        return {
          kind: "notification",
          name,
          ...place,
          objects: clauses.objects,
          description: clauses.description,
          value: this.oidValue(),
        };
      }
      case "TRAP-TYPE":
        return this.trapType(name, place);
      default:
        if (NAMED_ONLY.has(macro.text)) {
          const { description } = this.clauses();
          return { kind: "oid", name, ...place, description, value: this.oidValue() };
        }
        // a value of another type, such as `zeroDotZero Foo ::= 1`
        while (!this.is("::=")) this.next("::=");
        this.next("::=");
        this.skipValue();
        return null;
    }
  }

  private typeAssignment(name: string, place: { line: number; column: number }): Assignment {
    this.expect("::=");
    let hint: string | null = null;
    if (this.is("TEXTUAL-CONVENTION")) {
      this.next("TEXTUAL-CONVENTION");
      while (!this.is("SYNTAX")) {
        const t = this.next("SYNTAX");
        if (t.text === "DISPLAY-HINT" && t.kind === "name") hint = this.string("a display hint");
      }
      this.expect("SYNTAX");
    }
    return { kind: "type", name, ...place, syntax: this.syntax(), hint };
  }

  private objectType(name: string, place: { line: number; column: number }): Assignment {
    this.expect("SYNTAX");
    const syntax = this.syntax();
    const { units, description } = this.clauses();
    return { kind: "object", name, ...place, syntax, units, description, value: this.oidValue() };
  }

  private trapType(name: string, place: { line: number; column: number }): Assignment {
    this.expect("ENTERPRISE");
    let enterprise: string;
    if (this.is("{")) {
      this.next("{");
      enterprise = this.name("an enterprise");
      this.expect("}");
    } else enterprise = this.name("an enterprise");
    const { objects, description } = this.clauses();
    this.expect("::=");
    const number = this.next("a trap number");
    if (number.kind !== "number") throw this.unexpected(number, "a trap number");
    return { kind: "trap", name, ...place, enterprise, objects, description, number: Number(number.text) };
  }

  /** Clauses up to the `::=` of a macro, in any order; those not asked for are skipped. */
  private clauses(): { units: string | null; description: string | null; objects: string[] } {
    let units: string | null = null;
    let description: string | null = null;
    let objects: string[] = [];
    while (!this.is("::=")) {
      const t = this.next("::=");
      if (t.kind !== "name") continue;
      if (t.text === "UNITS") units = this.string("units");
      else if (t.text === "DESCRIPTION" && description === null) description = this.string("a description");
      else if (t.text === "OBJECTS" || t.text === "VARIABLES") {
        this.expect("{");
        objects = [];
        while (!this.is("}")) {
          const o = this.next("}");
          if (o.kind === "name") objects.push(o.text);
        }
        this.expect("}");
      }
    }
    return { units, description, objects };
  }

  private syntax(): Syntax {
    // [APPLICATION n] IMPLICIT TYPE
    while (this.is("[")) {
      while (!this.is("]")) this.next("]");
      this.expect("]");
    }
    if (this.is("IMPLICIT")) this.next("IMPLICIT");
    const first = this.name("a type");
    let base = first;
    if ((first === "OCTET" || first === "BIT") && this.is("STRING")) {
      this.next("STRING");
      base = "OCTET STRING";
    } else if (first === "OBJECT" && this.is("IDENTIFIER")) {
      this.next("IDENTIFIER");
      base = "OBJECT IDENTIFIER";
    } else if (first === "SEQUENCE" || first === "CHOICE") {
      if (this.is("OF")) {
        this.next("OF");
        this.name("a type");
      } else this.skipBraces();
      return { base: first, names: null };
    } else if (this.is(".")) {
      // Module.Type
      this.next(".");
      base = this.name("a type");
    }
    const names = this.is("{") ? this.namedNumbers() : null;
    if (this.is("(")) this.skipParentheses();
    return { base, names };
  }

  private namedNumbers(): Map<number, string> {
    const names = new Map<number, string>();
    this.expect("{");
    while (!this.is("}")) {
      const name = this.name("a named number");
      this.expect("(");
      const n = this.next("a number");
      if (n.kind !== "number") throw this.unexpected(n, "a number");
      names.set(Number(n.text), name);
      this.expect(")");
      if (this.is(",")) this.next(",");
    }
    this.expect("}");
    return names;
  }

  private oidValue(): OidPart[] {
    this.expect("::=");
    this.expect("{");
    const parts: OidPart[] = [];
    while (!this.is("}")) {
      const t = this.next("}");
      if (t.kind === "number") parts.push({ name: null, number: Number(t.text) });
      else if (t.kind === "name") {
        if (this.is("(")) {
          this.next("(");
          const n = this.next("a number");
          if (n.kind !== "number") throw this.unexpected(n, "a number");
          this.expect(")");
          parts.push({ name: t.text, number: Number(n.text) });
        } else if (this.is(".")) {
          this.next(".");
          parts.push({ name: this.name("a name"), number: null });
        } else parts.push({ name: t.text, number: null });
      } else throw this.unexpected(t, "a name or number");
    }
    this.expect("}");
    return parts;
  }

  private skipValue(): void {
    if (this.is("{")) this.skipBraces();
    else this.next("a value");
  }

  private skipBraces(): void {
    this.skipPair("{", "}");
  }

  private skipParentheses(): void {
    this.skipPair("(", ")");
  }

  private skipPair(open: string, close: string): void {
    this.expect(open);
    for (let depth = 1; depth > 0; ) {
      const t = this.next(close);
      if (t.kind === "symbol" && t.text === open) depth++;
      if (t.kind === "symbol" && t.text === close) depth--;
    }
  }

  private peek(): Token {
    return this.tokens[this.at]!;
  }

  private is(text: string): boolean {
    const t = this.peek();
    return t.text === text && t.kind !== "string";
  }

  private next(wanted: string): Token {
    const t = this.peek();
    if (t.kind === "end") throw this.unexpected(t, wanted);
    this.at++;
    return t;
  }

  private expect(text: string): void {
    const t = this.peek();
    if (!this.is(text)) throw this.unexpected(t, text);
    this.at++;
  }

  private name(what: string): string {
    const t = this.peek();
    if (t.kind !== "name") throw this.unexpected(t, what);
    this.at++;
    return t.text;
  }

  private string(what: string): string {
    const t = this.next(what);
    if (t.kind !== "string") throw this.unexpected(t, what);
    return t.text;
  }

  private unexpected(t: Token, wanted: string): MibError {
    const got =
      t.kind === "end" ? "the end of the text" : t.kind === "string" ? "a text in quotes" : `“${t.text.slice(0, 40)}”`;
    return new MibError("UNEXPECTED", t.line, t.column, `expected ${wanted}, got ${got}`);
  }
}
