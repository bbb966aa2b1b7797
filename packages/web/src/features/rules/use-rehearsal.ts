import type { RehearsalStep } from "@halvik/contract/rules";
import { useCallback, useEffect, useRef, useState } from "react";
import type { WindowParts } from "../../data/api";
import { rehearsal } from "../../data/api";

export interface Rehearsal {
  readonly step: RehearsalStep | null;
  readonly running: boolean;
  readonly trouble: string | null;
  start(text: string, against: string | undefined, window: WindowParts): void;
  stop(): void;
}

/** A rule run over history, line by line as the answer comes; stopping hangs up. */
export function useRehearsal(): Rehearsal {
  const [step, setStep] = useState<RehearsalStep | null>(null);
  const [running, setRunning] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);
  const abort = useRef<AbortController | null>(null);
  const stop = useCallback(() => {
    abort.current?.abort();
    setRunning(false);
  }, []);
  useEffect(() => () => abort.current?.abort(), []);
  const start = useCallback((text: string, against: string | undefined, window: WindowParts) => {
    abort.current?.abort();
    const own = new AbortController();
    abort.current = own;
    setStep(null);
    setTrouble(null);
    setRunning(true);
    // of a window that knows more of itself only this is asked
    const { from, to } = window;
    rehearsal({ text, ...(against === undefined ? {} : { against }), from, to }, own.signal, setStep)
      .catch((e: Error) => !own.signal.aborted && setTrouble(e.message))
      .finally(() => abort.current === own && setRunning(false));
  }, []);
  return { step, running, trouble, start, stop };
}
