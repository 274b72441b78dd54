// What was asked of the server, kept for a while.
import { QueryCache, QueryClient } from '@tanstack/svelte-query';
import { ApiProblem } from '$lib/api/client';

const told = { unknown: (): void => undefined };

/** What happens when the server does not know who asks. */
export function whenUnknown(does: () => void): void {
  told.unknown = does;
}

export const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (count, error) =>
        count < 2 && !(error instanceof ApiProblem && error.status >= 400 && error.status < 500),
    },
  },
  queryCache: new QueryCache({
    onError: (error) => {
      if (error instanceof ApiProblem && error.status === 401) told.unknown();
    },
  }),
});
