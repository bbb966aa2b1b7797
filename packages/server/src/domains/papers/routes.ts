import { hostname } from "node:os";
import { pipeline } from "node:stream/promises";
import {
  EntryChange,
  EntryParams,
  FileQuery,
  HandOverParams,
  LinkParams,
  NewEntry,
  NewLink,
  NewPin,
  PaperChange,
  PaperChanged,
  PaperDetail,
  PaperList,
  PaperParams,
  PaperQuery,
  PinAgain,
  PinChange,
  PinMade,
  PinParams,
} from "@halvik/contract/papers";
import { formatUs } from "@halvik/core/base/time";
import {
  handOver,
  handOverMarkdown,
  iodefOf,
  MOST_BYTES,
  MOST_BYTES_OF_ALL,
  MOST_ENTRIES,
  MOST_FILE_BYTES,
  MOST_LINKS,
  MOST_PINS,
  PaperFacts,
  type PaperInWords,
  stixOf,
} from "@halvik/core/papers";
import type { Request } from "express";
import type { Actor } from "../../kernel/actor.js";
import { nowUs } from "../../kernel/clock.js";
import type { Models } from "../../kernel/db/models.js";
import { type Act, inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import type { WorkPool } from "../../kernel/threads/work-pool.js";
import { mayRead } from "../people/tokens-repository.js";
import { subjectOf } from "../portrait/subject.js";
import { mayWrite, readable, writable } from "./access.js";
import { countSearch, sayLacking } from "./count-search.js";
import { addEntry, changeEntry, countEntries, findEntry, removeEntry } from "./entries-repository.js";
import { bundleOf } from "./hand-over/bundle.js";
import { paperInWords } from "./hand-over/paper-in-words.js";
import { filePin, lookUpPin, ofShape, type PinNeeds } from "./look-up-pin.js";
import { paperDetail } from "./paper-detail.js";
import {
  addPin,
  bytesOf,
  bytesOfAll,
  changePin,
  drawLink,
  fileOf,
  heldBy,
  linksOf,
  type PinToKeep,
  pinsOf,
  recordsOf,
  removeLink,
  removePin,
} from "./pins-repository.js";
import {
  addPaper,
  changePaper,
  countPapers,
  type PaperLineRow,
  papersFor,
  removePaper,
  touchPaper,
} from "./repository.js";

const MOST_LISTED = 200;
const MOST_PAPERS = 10_000;
/** Of some thousand pins some seconds. */
const PDF_MS = 60_000;

/** What these routes work with. */
interface Needs extends PinNeeds {
  readonly models: Models;
  /** Threads for what holds up others. */
  readonly work: WorkPool;
}

/** Investigations: working papers with what was found, kept until they are handed over. */
export const paperRoutes = (deps: Needs) => {
  const { db, models, directory, config } = deps;
  const detail = async (id: number, actor: Actor) => {
    const paper = await readable(db, id, actor);
    return paperDetail(deps, paper, actor.name, mayWrite(paper, actor));
  };
  /** Changes something of a paper: of its facts alone also where it is closed. */
  const change = <T>(id: number, actor: Actor, work: (act: Act) => Promise<T>): Promise<T> =>
    inAct(models, actor.name, async (act) => {
      await writable(act.db, id, actor);
      const done = await work(act);
      await touchPaper(act.db, id, actor.name, act.atUs);
      return done;
    });
  const keepPin = (id: number, actor: Actor, pin: PinToKeep, reason: string, techniques: readonly string[]) =>
    change(id, actor, async (act) => {
      const held = await heldBy(act.db, id);
      if (held.pins >= MOST_PINS) throw new AppError("CONFLICT", `${MOST_PINS} pins are in this investigation already`);
      if (held.bytes + (pin.file?.length ?? 0) > MOST_BYTES)
        throw new AppError("CONFLICT", `files of this investigation may take ${MOST_BYTES / 1e6} MB together`);
      if (pin.file !== undefined && (await bytesOfAll(act.db)) + pin.file.length > MOST_BYTES_OF_ALL)
        throw new AppError("CONFLICT", `files of all investigations may take ${MOST_BYTES_OF_ALL / 1e9} GB together`);
      const made = await addPin(act.db, id, pin, reason, techniques, actor.name, act.atUs);
      if (made.isNew) await act.audit("pinned", { investigation: id, pin: made.number, is: pin.pinned.is });
      return made;
    });
  /** @param before whoever was in it may have lost their account since: that holds up nothing. @throws {AppError} where somebody new has none */
  const knownPeople = async (facts: PaperFacts, before: PaperFacts["people"] = []) => {
    for (const { name } of facts.people)
      if (!before.some((p) => p.name === name) && !(await mayRead(db, name, nowUs())))
        throw new AppError("BAD_REQUEST", `people: nobody has an account called “${name}”`, { field: "people" });
  };
  const pdfOf = (told: PaperInWords) => deps.work.run<Uint8Array>("papersPdf", told, PDF_MS);
  /** What tells this Halvik from others, in what it hands over. */
  const instance = config.HALVIK_PUBLIC_URL === "" ? hostname() : new URL(config.HALVIK_PUBLIC_URL).hostname;
  return [
    route({
      method: "get",
      path: "/papers",
      summary: "Investigations one may read, those that go on first; by words that stand in them",
      access: "read",
      query: PaperQuery,
      answer: PaperList,
      handle: async ({ query, actor }) => {
        const rows = await papersFor(db, actor.name, query.text, query.state ?? null, MOST_LISTED + 1);
        return { papers: rows.slice(0, MOST_LISTED).map((r) => lineJson(r, actor)), more: rows.length > MOST_LISTED };
      },
    }),
    route({
      method: "post",
      path: "/papers",
      summary: "Begins an investigation",
      access: "act",
      body: PaperFacts,
      answer: PaperDetail,
      handle: async ({ body, actor }) => {
        await knownPeople(body);
        const id = await inAct(models, actor.name, async (act) => {
          if ((await countPapers(act.db)) >= MOST_PAPERS)
            throw new AppError("CONFLICT", `there are ${MOST_PAPERS} investigations already`);
          const made = await addPaper(act.db, body, actor.name, act.atUs);
          await act.audit("investigation begun", { id: made, name: body.name });
          return made;
        });
        return detail(id, actor);
      },
    }),
    route({
      method: "get",
      path: "/papers/{id}",
      summary: "An investigation: what is pinned, what was written, what leads where, earlier ones like it",
      access: "read",
      params: PaperParams,
      answer: PaperDetail,
      handle: ({ params: { id }, actor }) => detail(id, actor),
    }),
    route({
      method: "get",
      path: "/papers/{id}/changed",
      summary: "When an investigation was changed last: asked often, where several work on it",
      access: "read",
      params: PaperParams,
      answer: PaperChanged,
      handle: async ({ params: { id }, actor }) => {
        const { changedUs, version } = await readable(db, id, actor);
        return { changed: formatUs(changedUs), version };
      },
    }),
    route({
      method: "patch",
      path: "/papers/{id}",
      summary: "Changes its facts, as long as nobody else has meanwhile; who may read and write it says its owner",
      access: "act",
      params: PaperParams,
      body: PaperChange,
      answer: PaperDetail,
      handle: async ({ params: { id }, body: { facts, version }, actor }) => {
        await knownPeople(facts, (await readable(db, id, actor)).facts.people);
        await inAct(models, actor.name, async (act) => {
          const before = await writable(act.db, id, actor, true);
          const isOpenedOrClosed = before.facts.state !== facts.state;
          if (before.facts.state === "closed" && !isOpenedOrClosed)
            throw new AppError("CONFLICT", "this investigation is closed: open it again to change what is in it");
          if (before.owner !== actor.name && whoMay(before.facts) !== whoMay(facts))
            throw new AppError("NOT_ALLOWED", `who may read and write it says ${before.owner}, who began it`);
          if (!(await changePaper(act.db, id, version, facts, actor.name, act.atUs)))
            throw new AppError("CONFLICT", `${before.changedBy} has changed this meanwhile: nothing was overwritten`);
          await act.audit(isOpenedOrClosed ? `investigation ${facts.state}` : "investigation changed", {
            id,
            name: facts.name,
            ...(whoMay(before.facts) === whoMay(facts) ? {} : { people: facts.people, shared: facts.shared }),
          });
        });
        return detail(id, actor);
      },
    }),
    route({
      method: "delete",
      path: "/papers/{id}",
      summary: "Deletes an investigation of one's own with all that is in it",
      access: "act",
      params: PaperParams,
      answer: PaperList,
      handle: async ({ params: { id }, actor }) => {
        await inAct(models, actor.name, async (act) => {
          const paper = await writable(act.db, id, actor, true);
          if (paper.owner !== actor.name)
            throw new AppError("NOT_ALLOWED", `it is ${paper.owner}'s investigation, who alone may delete it`);
          const held = await heldBy(act.db, id);
          await removePaper(act.db, id);
          await act.audit("investigation deleted", { id, name: paper.facts.name, pins: held.pins });
        });
        const rows = await papersFor(db, actor.name, "", null, MOST_LISTED);
        return { papers: rows.map((r) => lineJson(r, actor)), more: false };
      },
    }),
    route({
      method: "post",
      path: "/papers/{id}/pins",
      summary: "Pins something with a reason, as it is now; what is pinned already stays as it was",
      access: "act",
      params: PaperParams,
      body: NewPin,
      answer: PinMade,
      handle: async ({ params: { id }, body, actor }) => {
        await writable(db, id, actor);
        return keepPin(id, actor, await lookUpPin(deps, actor, body.pin, nowUs()), body.reason, body.techniques);
      },
    }),
    route({
      method: "post",
      path: "/papers/{id}/files",
      summary: "Pins a file or picture: the request's body, as application/octet-stream",
      access: "act",
      params: PaperParams,
      query: FileQuery,
      answer: PinMade,
      handle: async ({ params: { id }, query: { name, reason }, req, actor }) => {
        await writable(db, id, actor);
        return keepPin(id, actor, await filePin(name, await bodyOf(req)), reason, []);
      },
    }),
    route({
      method: "get",
      path: "/papers/{id}/files/{number}",
      summary: "A file that is pinned, byte for byte",
      access: "read",
      params: PinParams,
      answer: { type: "application/octet-stream" },
      handle: async ({ params: { id, number }, actor, res }) => {
        await readable(db, id, actor);
        const bytes = await fileOf(db, id, number);
        const pin = (await pinsOf(db, id)).find((p) => p.number === number);
        if (bytes === null || pin?.pinned.is !== "file") throw new AppError("NOT_FOUND", `pin ${number} is no file`);
        // a picture is what its bytes say; all else is taken home, never shown
        res.setHeader("x-content-type-options", "nosniff");
        if (pin.pinned.picture === null) res.attachment(pin.pinned.name);
        res.type(pin.pinned.picture ?? "application/octet-stream").send(bytes);
        return undefined;
      },
    }),
    route({
      method: "patch",
      path: "/papers/{id}/pins/{number}",
      summary: "Changes why something is pinned, and as which techniques",
      access: "act",
      params: PinParams,
      body: PinChange,
      answer: PaperDetail,
      handle: async ({ params: { id, number }, body, actor }) => {
        await change(id, actor, async (act) => {
          if (!(await changePin(act.db, id, number, body.version, body.reason, body.techniques)))
            throw new AppError("CONFLICT", `pin ${number} was changed or unpinned meanwhile: nothing was overwritten`);
        });
        return detail(id, actor);
      },
    }),
    route({
      method: "delete",
      path: "/papers/{id}/pins/{number}",
      summary: "Unpins something; the arrows from and to it go with it",
      access: "act",
      params: PinParams,
      answer: PaperDetail,
      handle: async ({ params: { id, number }, actor }) => {
        await change(id, actor, async (act) => {
          if (!(await removePin(act.db, id, number))) throw new AppError("NOT_FOUND", `there is no pin ${number}`);
          await act.audit("unpinned", { investigation: id, pin: number });
        });
        return detail(id, actor);
      },
    }),
    route({
      method: "get",
      path: "/papers/{id}/pins/{number}/again",
      summary: "What a pinned search, shape or portrait counts now, in the same window",
      access: "read",
      params: PinParams,
      answer: PinAgain,
      handle: async ({ params: { id, number }, actor }) => {
        await readable(db, id, actor);
        const pin = (await pinsOf(db, id)).find((p) => p.number === number);
        if (pin === undefined) throw new AppError("NOT_FOUND", `there is no pin ${number}`);
        const { pinned } = pin;
        if (pinned.is !== "search" && pinned.is !== "shape" && pinned.is !== "portrait")
          throw new AppError("BAD_REQUEST", `pin ${number} has nothing to count again`);
        const filter =
          pinned.is === "search"
            ? pinned.filter
            : pinned.is === "shape"
              ? ofShape(pinned.id, pinned.filter)
              : subjectOf(pinned, await directory.get()).filter;
        const { zone, from, to } = pinned;
        // “the last hour” is the one before it was pinned
        const { count, isExact, window } = await countSearch(deps, actor, { filter, zone, from, to }, pin.atUs);
        return {
          count,
          isExact,
          before: { count: pinned.count, isExact: pinned.isExact },
          lacking: await sayLacking(deps, window, zone, nowUs()),
        };
      },
    }),
    route({
      method: "post",
      path: "/papers/{id}/entries",
      summary: "Writes a note, a hypothesis, a task or a question",
      access: "act",
      params: PaperParams,
      body: NewEntry,
      answer: PaperDetail,
      handle: async ({ params: { id }, body, actor }) => {
        await change(id, actor, async (act) => {
          if ((await countEntries(act.db, id)) >= MOST_ENTRIES)
            throw new AppError("CONFLICT", `${MOST_ENTRIES} notes and the like are in this investigation already`);
          await addEntry(act.db, id, body.entry, actor.name, act.atUs);
        });
        return detail(id, actor);
      },
    }),
    route({
      method: "patch",
      path: "/papers/{id}/entries/{entry}",
      summary: "Changes what was written, as long as nobody else has meanwhile",
      access: "act",
      params: EntryParams,
      body: EntryChange,
      answer: PaperDetail,
      handle: async ({ params: { id, entry }, body, actor }) => {
        await change(id, actor, async (act) => {
          if (await changeEntry(act.db, id, entry, body.version, body.entry, actor.name, act.atUs)) return;
          const there = await findEntry(act.db, id, entry);
          if (there === null) throw new AppError("NOT_FOUND", "it was deleted meanwhile");
          throw new AppError("CONFLICT", `${there.changedBy} has changed this meanwhile: nothing was overwritten`);
        });
        return detail(id, actor);
      },
    }),
    route({
      method: "delete",
      path: "/papers/{id}/entries/{entry}",
      summary: "Deletes a note, a hypothesis, a task or a question",
      access: "act",
      params: EntryParams,
      answer: PaperDetail,
      handle: async ({ params: { id, entry }, actor }) => {
        await change(id, actor, async (act) => {
          const there = await findEntry(act.db, id, entry);
          if (there === null) throw new AppError("NOT_FOUND", "it was deleted already");
          await removeEntry(act.db, id, entry);
          await act.audit("deleted from an investigation", { investigation: id, is: there.entry.is, by: there.author });
        });
        return detail(id, actor);
      },
    }),
    route({
      method: "post",
      path: "/papers/{id}/links",
      summary: "Draws an arrow from one pin to another",
      access: "act",
      params: PaperParams,
      body: NewLink,
      answer: PaperDetail,
      handle: async ({ params: { id }, body, actor }) => {
        if (body.from === body.to) throw new AppError("BAD_REQUEST", "to: expected another pin", { field: "to" });
        await change(id, actor, async (act) => {
          const numbers = (await pinsOf(act.db, id)).map((p) => p.number);
          for (const end of [body.from, body.to])
            if (!numbers.includes(end)) throw new AppError("NOT_FOUND", `there is no pin ${end}`);
          if ((await linksOf(act.db, id)).length >= MOST_LINKS)
            throw new AppError("CONFLICT", `${MOST_LINKS} arrows are in this investigation already`);
          await drawLink(act.db, id, body.from, body.to, body.why, actor.name, act.atUs);
        });
        return detail(id, actor);
      },
    }),
    route({
      method: "delete",
      path: "/papers/{id}/links/{link}",
      summary: "Takes an arrow away that was drawn by hand",
      access: "act",
      params: LinkParams,
      answer: PaperDetail,
      handle: async ({ params: { id, link }, actor }) => {
        await change(id, actor, async (act) => {
          if (!(await removeLink(act.db, id, link))) throw new AppError("NOT_FOUND", "there is no such arrow any more");
        });
        return detail(id, actor);
      },
    }),
    route({
      method: "get",
      path: "/papers/{id}/hand-over/{as}",
      summary:
        "What is known, by which evidence, what is open: as Markdown or PDF, as an archive with raw bytes and checksums, as STIX 2.1 or IODEF",
      access: "read",
      params: HandOverParams,
      answer: { type: "application/octet-stream" },
      handle: async ({ params: { id, as }, actor, res }) => {
        const papers = await detail(id, actor);
        const raw = await bytesOf(db, id);
        const told = paperInWords(papers, await recordsOf(db, id), raw, actor.name, nowUs());
        await inAct(models, actor.name, (act) => act.audit("investigation handed over", { id, as }));
        /** What it is called says nothing of what it is: the type comes last. */
        const send = (ending: string, type: string, body: string | Uint8Array) => {
          res.attachment(`investigation-${id}.${ending}`).type(type).send(Buffer.from(body));
          return undefined;
        };
        switch (as) {
          case "markdown":
            return send("md", "text/markdown; charset=utf-8", handOverMarkdown(handOver(told)));
          case "pdf":
            return send("pdf", "application/pdf", await pdfOf(told));
          case "stix":
            // the media type of STIX 2.1 content (TAXII 2.1 section 1.6.8.1)
            return send("stix.json", "application/stix+json;version=2.1", asJson(stixOf(told, instance)));
          case "iodef":
            return send("iodef.json", "application/json", asJson(iodefOf(told, instance)));
          case "bundle": {
            const file = (number: number) => fileOf(db, id, number);
            const zip = await bundleOf({ told, pdf: await pdfOf(told), detail: papers, raw, fileOf: file, instance });
            res.attachment(`investigation-${id}.zip`).type("application/zip");
            await pipeline(zip.outputStream, res);
            return undefined;
          }
        }
      },
    }),
  ];
};

const lineJson = ({ closed_us, changed_us, changed_by, may, ...row }: PaperLineRow, actor: Actor) => ({
  ...row,
  mayWrite: mayWrite({ may }, actor),
  changed: formatUs(changed_us),
  changedBy: changed_by,
  closed: closed_us === null ? null : formatUs(closed_us),
});

const asJson = (value: unknown): string => JSON.stringify(value, null, 1);

/** Who may read and write, to be compared. */
const whoMay = ({ people, shared }: PaperFacts): string =>
  JSON.stringify([shared, [...people].sort((a, b) => (a.name < b.name ? -1 : 1))]);

/** The body of a request, bounded. */
async function bodyOf(req: Request): Promise<Buffer> {
  const parts: Buffer[] = [];
  let bytes = 0;
  for await (const part of req as AsyncIterable<Buffer>) {
    bytes += part.length;
    if (bytes > MOST_FILE_BYTES)
      throw new AppError("BAD_REQUEST", `the file is larger than ${MOST_FILE_BYTES / 1e6} MB`);
    parts.push(part);
  }
  if (bytes === 0)
    throw new AppError("BAD_REQUEST", "the file is empty: send it as the body, as application/octet-stream");
  return Buffer.concat(parts);
}
