import { ApiError } from "@halvik/contract/errors";
import * as z from "zod";
import type { Route } from "./route.js";

/** The routes as an OpenAPI 3.1 document; its schemas are JSON Schema 2020-12, which Zod gives directly. */
export function openApi(routes: readonly Route[], version: string): object {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const r of routes) {
    const parameters = [...parametersOf(r.params, "path"), ...parametersOf(r.query, "query")];
    const operation = {
      summary: r.summary,
      security: r.access === "open" ? [] : [{ bearer: [] }, { cookie: [] }],
      ...(parameters.length > 0 ? { parameters } : {}),
      ...(r.body
        ? { requestBody: { required: true, content: { "application/json": { schema: jsonSchema(r.body, "input") } } } }
        : {}),
      responses: {
        200: {
          description: "the answer",
          content:
            r.answer instanceof z.ZodType
              ? { "application/json": { schema: jsonSchema(r.answer, "output") } }
              : { [r.answer.type]: {} },
        },
        default: {
          description: "what is wrong",
          content: { "application/json": { schema: { $ref: "#/components/schemas/Error" } } },
        },
      },
    };
    paths[r.path] = { ...paths[r.path], [r.method]: operation };
    if (r.alsoPost && r.query) {
      const { parameters: _, ...rest } = operation;
      const content = { "application/json": { schema: jsonSchema(r.query, "input") } };
      paths[r.path]!.post = { ...rest, requestBody: { required: true, content } };
    }
  }
  return {
    openapi: "3.1.0",
    info: {
      title: "Halvik",
      version,
      description: "Records, incidents and senders. Times are RFC 3339, ids strings, errors one shape.",
    },
    servers: [{ url: "/api/v1" }],
    paths,
    components: {
      schemas: { Error: jsonSchema(ApiError, "output") },
      securitySchemes: {
        bearer: { type: "http", scheme: "bearer" },
        cookie: { type: "apiKey", in: "cookie", name: "halvik" },
      },
    },
  };
}

function jsonSchema(schema: z.ZodType, io: "input" | "output"): object {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, {
    io,
    unrepresentable: "any",
    reused: "inline",
    override: ({ jsonSchema: s }) => delete s.id,
  }) as Record<string, unknown>;
  return rest;
}

function parametersOf(schema: z.ZodType | undefined, place: "path" | "query"): object[] {
  if (!schema) return [];
  const { properties = {}, required = [] } = jsonSchema(schema, "input") as {
    properties?: Record<string, object>;
    required?: string[];
  };
  return Object.entries(properties).map(([name, s]) => ({
    name,
    in: place,
    required: place === "path" || required.includes(name),
    schema: s,
  }));
}
