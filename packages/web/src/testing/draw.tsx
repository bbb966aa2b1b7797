import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { type RenderResult, render } from "@testing-library/react";
import type { ReactElement } from "react";
import { MemoryRouter } from "react-router";
import { TooltipProvider } from "../ui/tooltip";

/** Draws a part of the interface with what surrounds every page. @param answers what the server would say, by query key */
export function draw(
  element: ReactElement,
  {
    at = "/",
    answers = [],
  }: { at?: string; answers?: readonly (readonly [key: readonly unknown[], data: unknown])[] } = {},
): RenderResult & { client: QueryClient } {
  const client = new QueryClient({
    defaultOptions: { queries: { retry: false, staleTime: Number.POSITIVE_INFINITY } },
  });
  for (const [key, data] of answers) client.setQueryData(key, data);
  const drawn = render(
    <QueryClientProvider client={client}>
      <TooltipProvider>
        <MemoryRouter initialEntries={[at]}>{element}</MemoryRouter>
      </TooltipProvider>
    </QueryClientProvider>,
  );
  return { ...drawn, client };
}
