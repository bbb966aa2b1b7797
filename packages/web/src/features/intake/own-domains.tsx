import type { DomainList } from "@halvik/contract/kinds";
import { DOMAIN } from "@halvik/core/model/entity";
import { useForm } from "react-hook-form";
import { useViewStore, usOf } from "../../data/view-store";
import { Button, TextButton } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { dayMinute } from "../../ui/time";
import type { Act } from "./act";

/** Domains that are ours, so that one person or machine has one name; and those that names suggest. */
export function OwnDomains({ list, act }: { list: DomainList; act: Act }) {
  const zone = useViewStore((s) => s.zone);
  const { register, handleSubmit, reset, formState } = useForm({ defaultValues: { domain: "" } });
  const add = (domain: string) => act("POST", "/domains", { domain });
  return (
    <>
      <Heading small="a name in one of them is the same with and without it: in rules, incidents and searches">
        Our domains
      </Heading>
      {list.domains.map((d) => (
        <p
          key={d.domain}
          className="grid grid-cols-[15rem_1fr_auto] max-slim:grid-cols-1 gap-3 border-t border-line py-[3px] text-ui"
        >
          <b className="font-mono font-semibold">{safeText(d.domain)}</b>
          <span className="text-quiet">
            {d.domain.includes(".")
              ? `dc-1.${d.domain} is dc-1, k.lind@${d.domain} is k.lind`
              : `${d.domain.toUpperCase()}\\k.lind is k.lind`}{" "}
            · {safeText(d.by)}, {dayMinute(usOf(d.at), zone)}
          </span>
          <TextButton
            className="underline"
            onClick={() => void act("DELETE", `/domains/${encodeURIComponent(d.domain)}`)}
          >
            take back
          </TextButton>
        </p>
      ))}
      {list.suggested.map((s) => (
        <p
          key={s.domain}
          className="grid grid-cols-[15rem_1fr_auto] max-slim:grid-cols-1 gap-3 border-t border-line py-[3px] text-ui"
        >
          <span className="font-mono">{safeText(s.domain)}</span>
          <span className="text-quiet">
            suggested: {s.names === 1 ? "one name is" : `${s.names} names are`} written with it in the last day
            {s.alsoBare > 0 && `, ${s.alsoBare} of them also without`}, such as {safeText(s.example)}
          </span>
          <TextButton className="underline" onClick={() => void add(s.domain)}>
            it is ours
          </TextButton>
        </p>
      ))}
      <form
        className="flex items-start gap-3 border-t border-line pt-1.5"
        onSubmit={handleSubmit(async ({ domain }) => {
          await add(domain.trim());
          reset();
        })}
      >
        <Field label="Domain" hint="orvane.example, or ORVANE" error={formState.errors.domain?.message}>
          {(id) => (
            <Input
              id={id}
              className="w-60 font-mono"
              {...register("domain", {
                validate: (v) => DOMAIN.test(v.trim()) || "Expected a domain such as orvane.example.",
              })}
            />
          )}
        </Field>
        <Button type="submit" className="mt-5">
          Add
        </Button>
      </form>
    </>
  );
}
