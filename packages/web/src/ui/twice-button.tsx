import { type ComponentProps, useState } from "react";
import { Button, TextButton } from "./button";

interface TwiceProps extends Omit<ComponentProps<typeof Button>, "onClick" | "children"> {
  readonly first: string;
  readonly then: string;
  readonly onSure: () => void;
  /** In a row of words, not of buttons. */
  readonly inText?: boolean;
  /** What it is done to, said to who does not see the row it stands in. */
  readonly about?: string;
}

/** For what cannot be undone: it is asked twice, in the same place, and forgotten when one goes elsewhere. A double click is one click. */
export function TwiceButton({ first, then, onSure, inText = false, about, className = "", ...rest }: TwiceProps) {
  const [isSure, setSure] = useState(false);
  const Shown = inText ? TextButton : Button;
  const words = isSure ? then : first;
  return (
    <Shown
      {...rest}
      {...(about !== undefined && { "aria-label": `${words}: ${about}` })}
      className={`${className} ${isSure ? "text-vermilion" : ""}`}
      onClick={({ detail }) => {
        if (!isSure) setSure(true);
        else if (detail < 2) onSure();
      }}
      onBlur={() => setSure(false)}
    >
      {words}
    </Shown>
  );
}

type DeleteProps = Omit<TwiceProps, "first" | "then" | "onSure"> & {
  readonly onDelete: () => void;
  /** What goes with it. */
  readonly and?: string;
};

export function DeleteButton({ onDelete, and = "", ...rest }: DeleteProps) {
  const [first, then] = ["Delete", `Delete it${and} for good`].map((words) =>
    rest.inText ? words.toLowerCase() : words,
  );
  return <TwiceButton {...rest} first={first!} then={then!} onSure={onDelete} />;
}
