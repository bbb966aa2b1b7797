/** What a page asks of the server: method and path, and the body it sent. */
export type Asked = [what: string, body: unknown];

/** An answer that says no, as the server words it. */
export const refusal = (message: string): Response =>
  Response.json({ error: { code: "BAD_REQUEST", message } }, { status: 400 });

/**
 * A server that gives these answers, by method and path (without what stands behind the ?); null: done, without a body. Whatever else is
 * asked is not found, and not noted: a page asks for what surrounds it, too.
 * @returns what was asked of these, as it is
 */
export function answering(answers: Readonly<Record<string, unknown>>): Asked[] {
  const asked: Asked[] = [];
  globalThis.fetch = async (address, { method = "GET", body } = {}) => {
    const what = `${method} ${new URL(String(address), "http://halvik.example").pathname.replace("/api/v1", "")}`;
    const answer = answers[what];
    if (answer === undefined)
      return Response.json({ error: { code: "NOT_FOUND", message: `nothing is said of ${what}` } }, { status: 404 });
    asked.push([what, typeof body === "string" ? JSON.parse(body) : null]);
    if (answer instanceof Response) return answer.clone();
    return answer === null ? new Response(null, { status: 204 }) : Response.json(answer);
  };
  return asked;
}
