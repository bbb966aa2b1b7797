import type { PaperDetail, PaperLine } from "@halvik/contract/papers";
import { PAPER_STATES, type PaperState } from "@halvik/core/papers";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link, useNavigate } from "react-router";
import { request } from "../../data/api";
import { papersQuery } from "../../data/paper-queries";
import { useViewStore, usOf } from "../../data/view-store";
import { Button } from "../../ui/button";
import { EmptyState, Trouble } from "../../ui/empty-state";
import { Input } from "../../ui/field";
import { Page, Scroller } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { dayMinute } from "../../ui/time";

const ANY = "";

/** Investigations one may read, with words that stand in them. */
export function PapersPage() {
  const [text, setText] = useState("");
  const [state, setState] = useState<PaperState | undefined>(undefined);
  const { data, error } = useQuery(papersQuery(text.trim(), state));
  const isAll = text.trim() === "" && state === undefined;
  return (
    <Page title="Investigations">
      <div className="flex flex-wrap items-end justify-between gap-4 border-b border-line-strong pb-1.5">
        <div>
          <h1 className="text-page leading-[1.625rem] font-semibold">Investigations</h1>
          <p className="text-quiet">
            Working papers: what was found, why it matters, what is still open. Whatever a page shows is pinned with p.
          </p>
        </div>
        <div className="flex items-center gap-2">
          <Input
            type="search"
            aria-label="Words in them"
            placeholder="words in them"
            value={text}
            maxLength={200}
            onChange={(e) => setText(e.target.value)}
            className="!w-52"
          />
          <Select
            label="State"
            value={state ?? ANY}
            onChange={(v) => setState(PAPER_STATES.find((s) => s === v))}
            options={[{ value: ANY, label: "any state" }, ...PAPER_STATES]}
          />
        </div>
      </div>
      <Scroller label="Investigations">
        <Begin />
        {error && <Trouble error={error} what="The investigations cannot be shown" />}
        {data?.papers.length === 0 &&
          (isAll ? (
            <EmptyState
              title="No investigation yet"
              text="Begin one with the question it is to answer. Then press p on a record, a search, an incident, a portrait: it is pinned here with its bytes, and stays when its day is dropped."
            />
          ) : (
            <EmptyState
              title="None like that"
              text="No investigation that you may read has these words and this state."
            />
          ))}
        <ul>
          {data?.papers.map((p) => (
            <Line key={p.id} paper={p} />
          ))}
        </ul>
        {data?.more === true && <p className="py-1 text-ui text-quiet">There are more: name some words of it.</p>}
      </Scroller>
    </Page>
  );
}

/** A new one, by its name alone: all else is written in it. */
function Begin() {
  const navigate = useNavigate();
  const client = useQueryClient();
  const [name, setName] = useState("");
  const begin = useMutation({
    mutationFn: () => request<PaperDetail>("POST", "/papers", { name }),
    onSuccess: ({ id }) => {
      void client.invalidateQueries({ queryKey: ["papers"] });
      void navigate(`/investigations/${id}`);
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (name.trim() !== "") begin.mutate();
  };
  return (
    <form onSubmit={submit} className="flex items-center gap-2 border-b border-line py-2">
      <Input
        aria-label="A new investigation"
        placeholder="a new one: what is it to find out?"
        value={name}
        maxLength={120}
        onChange={(e) => setName(e.target.value)}
        className="!w-96"
      />
      <Button type="submit" disabled={name.trim() === "" || begin.isPending}>
        Begin
      </Button>
      {begin.error && <span className="text-vermilion">{begin.error.message}</span>}
    </form>
  );
}

function Line({ paper: p }: { paper: PaperLine }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <li
      className={`grid grid-cols-[minmax(0,1fr)_5rem_4.5rem_13rem] items-baseline gap-3 border-b border-line py-1.5 ${p.state === "closed" ? "text-quiet" : ""}`}
    >
      <span className="min-w-0">
        <Link to={`/investigations/${p.id}`} className="font-semibold">
          {safeText(p.name)}
        </Link>
        <span className="block truncate text-ui text-quiet">
          {safeText(p.state === "closed" && p.conclusion !== "" ? p.conclusion : p.question)}
        </span>
      </span>
      <span className="text-ui">
        {p.state === "closed" && p.closed !== null ? `closed ${dayMinute(usOf(p.closed), zone).slice(0, 6)}` : p.state}
      </span>
      <span className="text-ui">
        {p.pins} {p.pins === 1 ? "pin" : "pins"}
        {p.open > 0 && <span className="block text-small text-ochre">{p.open} open</span>}
      </span>
      <span className="text-small text-quiet">
        {safeText(p.owner)}
        {p.mayWrite ? "" : ", to read"}
        <span className="block">
          {dayMinute(usOf(p.changed), zone)}, {safeText(p.changedBy)}
        </span>
      </span>
    </li>
  );
}
