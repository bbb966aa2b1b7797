import type { ImportList } from "@halvik/contract/kinds";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Controller, useForm } from "react-hook-form";
import { toast } from "sonner";
import { query, request, upload } from "../../data/api";
import { importsQuery } from "../../data/intake-queries";
import { Button } from "../../ui/button";
import { Checkbox } from "../../ui/checkbox";
import { Field, Input } from "../../ui/field";
import { Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";

const RUNNING = ["waiting", "running"];

/** Files brought by hand, with their progress and receipts. */
export function Files() {
  const client = useQueryClient();
  const list = useQuery(importsQuery);
  const settle = {
    onSuccess: (l: ImportList) => client.setQueryData(["imports"], l),
    onError: (e: Error) => toast.error(e.message),
  };
  const send = useMutation({
    mutationFn: ({ file, peer, meter }: { file: File; peer: string; meter: boolean }) =>
      upload<ImportList>(
        `/imports${query({ name: file.name, peer: peer.trim() || undefined, meter: meter ? "true" : undefined })}`,
        file,
      ),
    ...settle,
  });
  const cancel = useMutation({
    mutationFn: (id: number) => request<ImportList>("POST", `/imports/${id}/cancel`, {}),
    ...settle,
  });
  const { register, control, handleSubmit, reset, formState } = useForm<{
    files: FileList;
    peer: string;
    meter: boolean;
  }>({
    defaultValues: { peer: "", meter: false },
  });
  return (
    <>
      <Heading small="captures, text, event XML, JSON, tables; gzip or not">Files</Heading>
      <form
        className="flex items-start gap-3 border-t border-line pt-1.5"
        onSubmit={handleSubmit(async ({ files, peer, meter }) => {
          await send.mutateAsync({ file: files[0]!, peer, meter });
          reset();
        })}
      >
        <div className="w-72">
          <Field label="File" error={formState.errors.files?.message}>
            {(id) => (
              <input
                id={id}
                type="file"
                className="block w-full text-ui"
                {...register("files", { validate: (f) => f?.length === 1 || "Choose a file." })}
              />
            )}
          </Field>
        </div>
        <div className="w-48">
          <Field label="Sent by" hint="an address; captures carry their own" error={formState.errors.peer?.message}>
            {(id) => (
              <Input
                id={id}
                className="font-mono"
                placeholder="10.20.1.18"
                {...register("peer", {
                  validate: (peer, { meter }) =>
                    !meter || peer.trim() !== "" || "Packets do not say who captured them.",
                })}
              />
            )}
          </Field>
        </div>
        <Controller
          control={control}
          name="meter"
          render={({ field }) => (
            <Checkbox className="mt-6 text-ui" checked={field.value} onChange={field.onChange}>
              its packets, not the messages in it
            </Checkbox>
          )}
        />
        <Button type="submit" className="mt-5" disabled={send.isPending}>
          {send.isPending ? "Sending …" : "Import"}
        </Button>
      </form>
      {list.data?.imports.map((i) => (
        <div
          key={i.id}
          className="grid grid-cols-[13.75rem_1fr_auto] max-slim:grid-cols-1 gap-3 border-t border-line py-[3px] text-ui"
          data-testid="import"
        >
          <span className="truncate font-mono text-code">{safeText(i.name)}</span>
          <span className={i.state === "failed" ? "text-vermilion" : "text-quiet"}>
            {i.state === "running" ? `reading, ${i.done.toLocaleString("en")} so far` : i.state}
            {i.message !== "" && `: ${i.message}`}
          </span>
          {RUNNING.includes(i.state) && <Button onClick={() => cancel.mutate(i.id)}>Cancel</Button>}
        </div>
      ))}
    </>
  );
}
