import { toast } from "sonner";

/**
 * Puts a text into the clipboard. Served over plain HTTP from another machine a page has no clipboard to write to (W3C Secure Contexts): there it is
 * selected in a field nobody sees, and copied as by hand.
 * @param said what is said once it is there; null: the caller shows it
 * @returns whether it is there; where it is not, that is said
 */
export async function copyText(text: string, said: string | null = "Copied"): Promise<boolean> {
  const isThere = (await written(text)) || selectedAndCopied(text);
  if (!isThere) toast.error("The browser does not let the clipboard be written here: select the text and copy it.");
  else if (said !== null) toast(said);
  return isThere;
}

async function written(text: string): Promise<boolean> {
  try {
    await navigator.clipboard.writeText(text);
    return true;
  } catch {
    return false;
  }
}

function selectedAndCopied(text: string): boolean {
  const field = document.createElement("textarea");
  field.value = text;
  field.readOnly = true;
  field.setAttribute("aria-hidden", "true");
  field.style.position = "fixed";
  field.style.opacity = "0";
  const focused = document.activeElement;
  // within a dialog the focus may not leave it
  (focused?.closest('[role="dialog"], [role="menu"]') ?? document.body).append(field);
  field.focus();
  field.select();
  try {
    return document.execCommand("copy");
  } catch {
    return false;
  } finally {
    field.remove();
    if (focused instanceof HTMLElement) focused.focus();
  }
}
