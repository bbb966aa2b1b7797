import type { Session } from "@halvik/contract/status";
import { useForm } from "react-hook-form";
import { queryClient, request } from "../data/api";
import { Button } from "../ui/button";
import { Field, Input } from "../ui/field";

const Sheet = ({ title, children }: { title: string; children: React.ReactNode }) => (
  <div className="flex h-full items-start justify-center pt-[18vh]">
    <main className="w-[21.25rem] border border-line-strong bg-sheet p-6">
      <h1 className="mb-4 text-page font-semibold">{title}</h1>
      {children}
    </main>
  </div>
);

/** The one-time password just used, so that it need not be typed twice; kept nowhere else. */
let usedPassword = "";

export function SignIn({ trouble }: { trouble: string | null }) {
  const { register, handleSubmit, setError, formState } = useForm<{ name: string; password: string }>();
  const submit = handleSubmit(async (values) => {
    try {
      const session = await request<Session>("POST", "/session", values);
      usedPassword = session.mustChange ? values.password : "";
      queryClient.setQueryData(["session"], session);
    } catch (e) {
      setError("password", { message: (e as Error).message });
    }
  });
  return (
    <Sheet title="Sign in to Halvik">
      {trouble !== null && (
        <p role="alert" className="mb-3 border-l-2 border-vermilion bg-vermilion-wash px-3 py-1.5 text-ui">
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
  const isKnown = usedPassword !== "";
  const { register, handleSubmit, setError, formState, getValues } = useForm<{
    current: string;
    password: string;
    again: string;
  }>({ defaultValues: { current: usedPassword } });
  const submit = handleSubmit(async ({ current, password }) => {
    try {
      const changed = await request<Session>("POST", "/session/password", { current, password });
      usedPassword = "";
      queryClient.setQueryData(["session"], changed);
    } catch (e) {
      setError("password", { message: (e as Error).message });
    }
  });
  return (
    <Sheet title="Choose your own password">
      <p className="mb-3 text-quiet">Your one-time password no longer works, {session.display}.</p>
      <form onSubmit={submit}>
        {!isKnown && (
          <Field label="One-time password">
            {(id) => (
              <Input id={id} type="password" autoComplete="current-password" required {...register("current")} />
            )}
          </Field>
        )}
        <Field
          label="New password"
          hint="At least 12 characters, not easily guessed."
          error={formState.errors.password?.message}
        >
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
        <Field label="Repeat it" error={formState.errors.again?.message}>
          {(id) => (
            <Input
              id={id}
              type="password"
              autoComplete="new-password"
              {...register("again", { validate: (v) => v === getValues("password") || "The two differ." })}
            />
          )}
        </Field>
        <Button main type="submit" disabled={formState.isSubmitting} className="mt-1">
          Save
        </Button>
      </form>
    </Sheet>
  );
}
