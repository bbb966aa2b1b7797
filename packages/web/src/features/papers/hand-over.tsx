import { HAND_OVER_AS, type HandOverAs, type PaperDetail } from "@halvik/contract/papers";
import { PAPER_RIGHTS, type PaperFacts } from "@halvik/core/papers";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { request, sessionQuery } from "../../data/api";
import { Button, TextButton } from "../../ui/button";
import { Checkbox } from "../../ui/checkbox";
import { Dialog } from "../../ui/dialog";
import { Input } from "../../ui/field";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { Select } from "../../ui/select";
import { changedFacts, usePaperAct } from "./use-paper-act";

/** What each is, and for whom. */
const WAYS: Readonly<Record<HandOverAs, readonly [name: string, about: string]>> = {
  markdown: ["Summary, Markdown", "what is known, by which evidence, what is open"],
  pdf: ["Summary, PDF", "the same on paper"],
  bundle: [
    "Evidence bundle, ZIP",
    "the papers, each record with its bytes as they came, files, STIX and IODEF; a manifest with SHA-256, and SHA256SUMS for sha256sum --check",
  ],
  stix: ["STIX 2.1", "records as observed data, techniques, notes, what led where"],
  iodef: ["IODEF, JSON (RFC 8727)", "an incident report for other teams"],
};

/** What the papers are handed over as, and who may read them here. */
export function HandOver({ paper }: { readonly paper: PaperDetail }) {
  return (
    <>
      <Heading>Take it along</Heading>
      <ul className="text-ui">
        {HAND_OVER_AS.map((as) => (
          <li key={as} className="grid grid-cols-[13rem_1fr] gap-3 border-b border-line py-1">
            <a href={`/api/v1/papers/${paper.id}/hand-over/${as}`} download>
              {WAYS[as][0]}
            </a>
            <span className="text-quiet">{WAYS[as][1]}</span>
          </li>
        ))}
      </ul>
      <People paper={paper} />
      <End paper={paper} />
    </>
  );
}

/** Who may read and write it; a link is the address of the page, for whoever may. */
function People({ paper }: { readonly paper: PaperDetail }) {
  const session = useQuery(sessionQuery);
  const { mutate, mutateAsync, error } = usePaperAct(paper.id);
  const [name, setName] = useState("");
  const { people, shared } = paper.facts;
  const isOwn = session.data?.name === paper.owner && paper.mayWrite && paper.facts.state !== "closed";
  const put = (parts: Partial<PaperFacts>) => mutate(changedFacts(paper, parts));
  const submit = async (e: FormEvent) => {
    e.preventDefault();
    const wanted = name.trim();
    if (wanted === "" || people.some((p) => p.name === wanted)) return;
    await mutateAsync(changedFacts(paper, { people: [...people, { name: wanted, may: "read" }] })).then(
      () => setName(""),
      () => undefined,
    );
  };
  const link = `${location.origin}/investigations/${paper.id}`;
  return (
    <section aria-label="Who may see it">
      <Heading small={isOwn ? undefined : `says ${safeText(paper.owner)}, who began it`}>Who may see it</Heading>
      <ul className="max-w-xl text-ui">
        <li className="flex gap-3 border-b border-line py-1">
          <span className="flex-1">{safeText(paper.owner)}</span> <span className="text-quiet">began it</span>
        </li>
        {people.map((p) => (
          <li key={p.name} className="flex items-baseline gap-3 border-b border-line py-1">
            <span className="flex-1">{safeText(p.name)}</span>
            <Select
              plain
              label={`What ${p.name} may do`}
              value={p.may}
              options={PAPER_RIGHTS}
              disabled={!isOwn}
              onChange={(may) =>
                put({ people: people.map((o) => (o.name === p.name ? { ...o, may: may as typeof p.may } : o)) })
              }
            />
            {isOwn && (
              <TextButton onClick={() => put({ people: people.filter((o) => o.name !== p.name) })}>take out</TextButton>
            )}
          </li>
        ))}
      </ul>
      {isOwn && (
        <>
          <form onSubmit={(e) => void submit(e)} className="mt-1 flex max-w-xl gap-2">
            <Input
              aria-label="An account to let in"
              placeholder="an account’s name"
              value={name}
              maxLength={120}
              onChange={(e) => setName(e.target.value)}
            />
            <Button type="submit" disabled={name.trim() === ""}>
              Let in
            </Button>
          </form>
          <Checkbox checked={shared} onChange={(on) => put({ shared: on })} className="mt-1.5 text-ui">
            whoever has an account may read it
          </Checkbox>
        </>
      )}
      {error && (
        <p role="alert" className="text-ui text-vermilion">
          {error.message}
        </p>
      )}
      <p className="mt-1.5 text-ui text-quiet">
        Its link: <span className="font-mono text-code select-all">{link}</span>. It opens for those named here; an
        account that only reads reads it.
      </p>
    </section>
  );
}

/** Deleting takes its evidence along: it is asked. */
function End({ paper }: { readonly paper: PaperDetail }) {
  const session = useQuery(sessionQuery);
  const client = useQueryClient();
  const navigate = useNavigate();
  const [isAsked, setAsked] = useState(false);
  const remove = useMutation({
    mutationFn: () => request("DELETE", `/papers/${paper.id}`),
    onSuccess: () => {
      void navigate("/investigations");
      void client.invalidateQueries({ queryKey: ["papers"] });
    },
  });
  if (session.data?.name !== paper.owner || !paper.mayWrite) return null;
  return (
    <p className="mt-6 text-ui">
      <TextButton onClick={() => setAsked(true)}>delete this investigation …</TextButton>
      <Dialog
        open={isAsked}
        onOpenChange={setAsked}
        title="Delete this investigation?"
        about={`${paper.pins.length} pins go with it, with records that may be kept nowhere else. To end it and keep it, close it.`}
      >
        {remove.error && (
          <span role="alert" className="text-vermilion">
            {remove.error.message}
          </span>
        )}
        <span className="flex gap-2">
          <Button onClick={() => setAsked(false)}>Keep it</Button>
          <Button disabled={remove.isPending} onClick={() => remove.mutate()}>
            Delete it
          </Button>
        </span>
      </Dialog>
    </p>
  );
}
