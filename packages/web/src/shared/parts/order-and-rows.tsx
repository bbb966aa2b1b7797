import type { MeasureAsked } from "@halvik/core/query/measure";
import { Field, Input } from "../../ui/field";
import { Select } from "../../ui/select";

type Order = Pick<MeasureAsked, "order" | "top">;

/** Which rows stand first, and how many there are. */
export function OrderAndRows({ value, onChange }: { value: Order; onChange: (order: Order) => void }) {
  const { order, top } = value;
  return (
    <div className="grid grid-cols-2 gap-3">
      <Field label="First comes">
        {(id) => (
          <Select
            id={id}
            value={order}
            options={[
              { value: "most", label: "the most" },
              { value: "least", label: "the least" },
              { value: "changed", label: "what changed most" },
            ]}
            onChange={(next) => onChange({ order: next as Order["order"], top })}
            className="w-full"
          />
        )}
      </Field>
      <Field label="Rows" hint="1 to 100; 0: all">
        {(id) => (
          <Input
            id={id}
            inputMode="numeric"
            value={String(top)}
            onChange={(e) => onChange({ order, top: Math.min(100, Number(e.target.value.replace(/\D/g, ""))) })}
          />
        )}
      </Field>
    </div>
  );
}
