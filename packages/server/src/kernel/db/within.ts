import { noAnswer } from "./failure.js";

/** @throws an outage when there is no answer in time: a database that hangs is one that is away */
export async function withinMs<T>(ms: number, what: string, work: () => Promise<T>): Promise<T> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(noAnswer(what, ms)), ms);
  });
  try {
    return await Promise.race([work(), late]);
  } finally {
    clearTimeout(timer);
  }
}
