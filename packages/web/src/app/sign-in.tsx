import type { Session } from "@halvik/core/contract";
import { useQuery } from "@tanstack/react-query";
import { useForm } from "react-hook-form";
import { Button } from "../ui/button";
import { Field, Input } from "../ui/field";
import { healthQuery, queryClient, request } from "./api";
import { LoadingNotice } from "./loading-notice";

const Sheet = ({ title, children }: { title: string; children: React.ReactNode }) => (
  <div className="flex h-full items-start justify-center pt-[18vh]">
    <main className="w-[340px] border border-line-strong bg-sheet p-6">
      <h1 className="mb-4 text-[20px] font-semibold">{title}</h1>
      {children}
    </main>
  </div>
);

export function SignIn({ trouble }: { trouble: string | null }) {
  const { register, handleSubmit, setError, formState } = useForm<{ name: string; password: string }>();
  const submit = handleSubmit(async (values) => {
    try {
      queryClient.setQueryData(["session"], await request<Session>("POST", "/session", values));
    } catch (e) {
      setError("password", { message: (e as Error).message });
    }
  });
  const health = useQuery(healthQuery);
  return (
    <Sheet title="Sign in to Halvik">
      <LoadingNotice jobs={health.data?.jobs ?? []} />
      {trouble !== null && (
        <p role="alert" className="mb-3 border-l-2 border-vermilion bg-vermilion-wash px-3 py-1.5 text-[13px]">
          {trouble}
        </p>
      )}
      <form onSubmit={submit}>
        <Field label="Name">
          {(id) => <Input id={id} autoComplete="username" autoFocus required {...register("name")} />}
        </Field>
        <Field
          label="Password"
          error={formState.errors.password?.message}
          hint="The first start prints the owner’s one-time password."
        >
          {(id) => <Input id={id} type="password" autoComplete="current-password" required {...register("password")} />}
        </Field>
        <Button main type="submit" disabled={formState.isSubmitting} className="mt-1">
          Sign in
        </Button>
      </form>
    </Sheet>
  );
}

export function ChoosePassword({ session }: { session: Session }) {
  const { register, handleSubmit, setError, formState, getValues } = useForm<{ password: string; again: string }>();
  const submit = handleSubmit(async ({ password }) => {
    try {
      queryClient.setQueryData(["session"], await request<Session>("POST", "/session/password", { password }));
    } catch (e) {
      setError("password", { message: (e as Error).message });
    }
  });
  return (
    <Sheet title="Choose your own password">
      <p className="mb-3 text-quiet">The one you used, {session.display}, works only once.</p>
      <form onSubmit={submit}>
        <Field label="New password" hint="At least 12 characters." error={formState.errors.password?.message}>
          {(id) => (
            <Input
              id={id}
              type="password"
              autoComplete="new-password"
              autoFocus
              {...register("password", {
                minLength: { value: 12, message: "At least 12 characters." },
                required: "At least 12 characters.",
              })}
            />
          )}
        </Field>
        <Field label="Once more" error={formState.errors.again?.message}>
          {(id) => (
            <Input
              id={id}
              type="password"
              autoComplete="new-password"
              {...register("again", { validate: (v) => v === getValues("password") || "The two are not the same." })}
            />
          )}
        </Field>
        <Button main type="submit" disabled={formState.isSubmitting} className="mt-1">
          Keep it
        </Button>
      </form>
    </Sheet>
  );
}
