import { basename } from "node:path";
import { AppError } from "./errors.js";

/** What a file that came is called. A name is for people to read: one that hides what it is would deceive them. @throws {AppError} for such a one */
export function readFileName(written: string): string {
  const name = basename(written).trim();
  if (name === "" || /[\p{Cc}\p{Cf}\p{Co}\p{Cn}\p{Zl}\p{Zp}\\]/u.test(name))
    throw new AppError("BAD_REQUEST", "name: expected a file's name of visible characters", { field: "name" });
  return name;
}
