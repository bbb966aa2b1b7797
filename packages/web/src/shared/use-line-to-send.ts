import { useRef, useState } from "react";

/**
 * What is typed to begin something with: it goes once it is taken, and stays to be sent again where it is refused. What is typed while it is on its
 * way stays too.
 * @param send whether it was taken; what was refused is said elsewhere
 */
export function useLineToSend(send: (text: string) => Promise<boolean>) {
  const [text, setText] = useState("");
  const isUnderWay = useRef(false);
  const submit = async () => {
    if (text.trim() === "" || isUnderWay.current) return;
    isUnderWay.current = true;
    const isTaken = await send(text.trim()).finally(() => {
      isUnderWay.current = false;
    });
    if (isTaken) setText((now) => (now === text ? "" : now));
  };
  return { text, setText, submit };
}
