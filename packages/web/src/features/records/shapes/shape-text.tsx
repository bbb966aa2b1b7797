import type { RecordJson } from "@halvik/contract/records";
import type { ShapeJson } from "@halvik/contract/shapes";
import { Fragment } from "react";
import { safeText } from "../../../ui/safe-text";

/** The words of a shape, its values as their numbers; of one that its event says, what its newest record says. */
export function ShapeText({
  shape,
  example,
}: {
  readonly shape: ShapeJson;
  readonly example?: RecordJson | undefined;
}) {
  if (shape.text === undefined)
    return (
      <bdi>
        {safeText(shape.event ?? shape.kind)}
        {example && <span className="text-quiet"> such as: {safeText(example.sentence)}</span>}
      </bdi>
    );
  const parts = shape.text.split(/(\$\d{1,3})/);
  return (
    <bdi>
      {parts.map((part, i) =>
        i % 2 === 1 ? (
          <span key={i} className="border-b border-dotted border-line-strong text-quiet">
            {part}
          </span>
        ) : (
          <Fragment key={i}>{safeText(part)}</Fragment>
        ),
      )}
    </bdi>
  );
}
