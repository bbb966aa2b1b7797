/**
 * Log text as text: React escapes it; control characters become visible marks, and characters that reorder or hide
 * text (Unicode TR36: bidirectional overrides, zero-width ones) are shown as their code.
 */
export function safeText(text: string): string {
  return text.replace(/[\u0000-\u001f\u007f-\u009f\u200b-\u200f\u202a-\u202e\u2060-\u2069\ufeff]/g, (c) => {
    const code = c.charCodeAt(0);
    if (code < 0x20) return String.fromCharCode(0x2400 + code);
    if (code === 0x7f) return "\u2421";
    return `⟨${code.toString(16).toUpperCase().padStart(4, "0")}⟩`;
  });
}
