import type { SnmpUserList } from "@halvik/contract/kinds";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { toast } from "sonner";
import { request } from "../../data/api";
import { snmpUsersQuery } from "../../data/intake-queries";
import { Button } from "../../ui/button";
import { Field, Input } from "../../ui/field";
import { SelectField } from "../../ui/form";
import { Heading } from "../../ui/page";
import { DeleteButton } from "../../ui/twice-button";

const AUTH = ["sha256", "sha512", "sha384", "sha224", "sha1", "md5"];
const PRIV = ["aes128", "aes256", "aes192", "aes256c", "aes192c", "des"];

/** Users of SNMPv3: who may speak with which protection. Passwords go in and never come back. */
export function SnmpUsers() {
  const client = useQueryClient();
  const list = useQuery(snmpUsersQuery);
  const [adding, setAdding] = useState(false);
  const change = useMutation({
    mutationFn: ({ method, path, body }: { method: string; path: string; body?: object }) =>
      request<SnmpUserList>(method, path, body),
    onSuccess: (users) => client.setQueryData(["snmp-users"], users),
    onError: (e) => toast.error(e.message),
  });
  return (
    <>
      <Heading small={list.data?.users.length === 0 ? "none: SNMPv3 is refused" : undefined}>Users of SNMPv3</Heading>
      {list.data?.users.map((u) => (
        <p key={u.name} className="flex justify-between text-ui">
          <span>
            <span className="font-mono">{u.name}</span>{" "}
            <span className="text-quiet">
              {u.authProtocol ?? "no authentication"}, {u.privProtocol ?? "no privacy"}
              {u.sender !== null && `, only ${u.sender}`}
            </span>
          </span>
          <DeleteButton
            inText
            className="underline"
            about={`the user ${u.name}`}
            onDelete={() => change.mutate({ method: "DELETE", path: `/snmp-users/${encodeURIComponent(u.name)}` })}
          />
        </p>
      ))}
      {adding ? (
        <AddUser
          onAdd={async (body) => {
            await change.mutateAsync({ method: "POST", path: "/snmp-users", body });
            setAdding(false);
          }}
        />
      ) : (
        <Button onClick={() => setAdding(true)}>Add a user</Button>
      )}
    </>
  );
}

function AddUser({ onAdd }: { onAdd: (body: object) => Promise<unknown> }) {
  const { control, register, handleSubmit, formState } = useForm({
    defaultValues: {
      name: "",
      authProtocol: "sha256",
      authPassword: "",
      privProtocol: "aes128",
      privPassword: "",
      sender: "",
    },
  });
  const long = (v: string) => v === "" || v.length >= 8 || "At least 8 characters.";
  return (
    <form
      onSubmit={handleSubmit((v) =>
        onAdd({
          name: v.name,
          ...(v.authPassword === "" ? {} : { authProtocol: v.authProtocol, authPassword: v.authPassword }),
          ...(v.sender.trim() === "" ? {} : { sender: v.sender }),
          ...(v.privPassword === "" ? {} : { privProtocol: v.privProtocol, privPassword: v.privPassword }),
        }),
      )}
    >
      <Field label="Name" error={formState.errors.name?.message}>
        {(id) => <Input id={id} autoComplete="off" {...register("name", { required: "A name is needed." })} />}
      </Field>
      {(
        [
          ["auth", "Authentication", AUTH],
          ["priv", "Privacy", PRIV],
        ] as const
      ).map(([part, label, protocols]) => (
        <div key={part} className="grid grid-cols-[6.875rem_1fr] gap-2">
          <SelectField control={control} name={`${part}Protocol`} label={label} options={protocols} />
          <Field label="Password" hint="empty: none" error={formState.errors[`${part}Password`]?.message}>
            {(id) => (
              <Input
                id={id}
                type="password"
                autoComplete="new-password"
                {...register(`${part}Password`, { validate: long })}
              />
            )}
          </Field>
        </div>
      ))}
      <Field label="Only this sender" hint="a sender’s name; empty: any">
        {(id) => <Input id={id} {...register("sender")} />}
      </Field>
      <Button type="submit" main>
        Add
      </Button>
    </form>
  );
}
