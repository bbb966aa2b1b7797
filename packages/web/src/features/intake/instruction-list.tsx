import { TextButton } from "../../ui/button";
import { copyText } from "../../ui/copy-text";
import type { Instruction } from "./instructions";

/** What to put into senders, each with a button that copies it. @param of the endpoint, to tell alike ones apart by ear */
export const InstructionList = ({ instructions, of }: { instructions: readonly Instruction[]; of: string }) =>
  instructions.map((i) => (
    <div key={i.title} className="mb-1.5 text-ui">
      <span className="flex justify-between gap-2 text-quiet">
        {i.title}
        <TextButton aria-label={`Copy: ${i.title}, ${of}`} onClick={() => void copyText(i.text)}>
          copy
        </TextButton>
      </span>
      <pre className="bg-wash px-2 py-1 font-mono text-small leading-[1.0625rem] wrap-anywhere whitespace-pre-wrap">
        {i.text}
      </pre>
    </div>
  ));
