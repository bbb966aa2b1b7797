import { isZone } from "@halvik/core/base/time";
import { COLUMNS, isOfNow, type Tile, type TilePlace, type TileShows } from "@halvik/core/board";
import type { Part } from "@halvik/core/report";
import { useState } from "react";
import { PartForm } from "../../shared/parts/part-form";
import { periodKey, periodOptions, readPeriod } from "../../shared/period-words";
import { Field, Input } from "../../ui/field";
import { Select } from "../../ui/select";

const OF_RAIL = "";

interface TileFormProps {
  readonly tile: Tile;
  readonly onChange: (tile: Tile) => void;
}

/** The form of one tile: what it shows, of which window, where it stands. */
export function TileForm({ tile, onChange }: TileFormProps) {
  const { shows, window, at } = tile;
  const setShows = (next: TileShows) => onChange({ ...tile, shows: next });
  return (
    <>
      {isPart(shows) ? <PartForm part={shows} onChange={setShows} /> : <OfNowForm shows={shows} onChange={setShows} />}
      {!isOfNow(shows) && (
        <Field label="Of which window">
          {(id) => (
            <Select
              id={id}
              value={window === null ? OF_RAIL : periodKey(window)}
              options={[
                { value: OF_RAIL, label: "the one on the time rail" },
                ...periodOptions(window ?? { last: 24, unit: "hour", whole: false }),
              ]}
              onChange={(v) => onChange({ ...tile, window: v === OF_RAIL ? null : readPeriod(v) })}
              className="w-full"
            />
          )}
        </Field>
      )}
      <div className="grid grid-cols-4 gap-2">
        <Place label="Column" value={at.x + 1} most={COLUMNS} onChange={(n) => onChange(placed(tile, { x: n - 1 }))} />
        <Place label="Row" value={at.y + 1} most={300} onChange={(n) => onChange(placed(tile, { y: n - 1 }))} />
        <Place label="Wide" value={at.w} most={COLUMNS} onChange={(w) => onChange(placed(tile, { w }))} />
        <Place label="High" value={at.h} most={60} onChange={(h) => onChange(placed(tile, { h }))} />
      </div>
    </>
  );
}

const OF_NOW_ONLY = new Set([
  "needs somebody",
  "silent senders",
  "limits",
  "fullest links",
  "last night",
  "sites",
  "incidents a day",
  "alarm load",
  "intake",
  "clock",
]);
const isPart = (shows: TileShows): shows is Part => !OF_NOW_ONLY.has(shows.is);

/** Within the columns there are. */
function placed(tile: Tile, change: Partial<TilePlace>): Tile {
  const at = { ...tile.at, ...change };
  const w = Math.min(at.w, COLUMNS);
  return { ...tile, at: { ...at, w, x: Math.min(at.x, COLUMNS - w) } };
}

function OfNowForm({ shows, onChange }: { shows: Exclude<TileShows, Part>; onChange: (shows: TileShows) => void }) {
  return (
    <>
      <Field label="Title">
        {(id) => (
          <Input
            id={id}
            maxLength={120}
            value={shows.title}
            onChange={(e) => onChange({ ...shows, title: e.target.value })}
          />
        )}
      </Field>
      {"most" in shows && (
        <Place
          label="How many at most"
          value={shows.most}
          most={50}
          onChange={(most) => onChange({ ...shows, most })}
        />
      )}
      {shows.is === "clock" && <ZoneField zone={shows.zone} onChange={(zone) => onChange({ ...shows, zone })} />}
    </>
  );
}

/** A zone as it is written: what is none yet is not taken. */
function ZoneField({ zone, onChange }: { zone: string; onChange: (zone: string) => void }) {
  const [text, setText] = useState(zone);
  const isKnown = text === "" || isZone(text);
  return (
    <Field
      label="Zone"
      hint="such as Europe/Oslo; empty: that of whoever looks"
      {...(isKnown ? {} : { error: "there is no such zone" })}
    >
      {(id) => (
        <Input
          id={id}
          maxLength={64}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            if (e.target.value === "" || isZone(e.target.value)) onChange(e.target.value);
          }}
        />
      )}
    </Field>
  );
}

/** A number from one on. */
const Place = ({
  label,
  value,
  most,
  onChange,
}: {
  label: string;
  value: number;
  most: number;
  onChange: (n: number) => void;
}) => (
  <Field label={label}>
    {(id) => (
      <Input
        id={id}
        type="number"
        min={1}
        max={most}
        value={value}
        onChange={(e) => {
          const n = Math.trunc(e.target.valueAsNumber);
          if (n >= 1 && n <= most) onChange(n);
        }}
      />
    )}
  </Field>
);
