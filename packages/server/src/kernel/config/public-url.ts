import type { Config } from "./config.js";

/** The address people reach Halvik by, without a slash at its end. */
export function publicUrl(config: Config): string {
  if (config.HALVIK_PUBLIC_URL !== "") return config.HALVIK_PUBLIC_URL.replace(/\/$/, "");
  const host = config.HALVIK_HTTP_HOST.includes(":") ? `[${config.HALVIK_HTTP_HOST}]` : config.HALVIK_HTTP_HOST;
  return `http://${host}:${config.HALVIK_HTTP_PORT}`;
}
