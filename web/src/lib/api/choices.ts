// Timed laps that can be chosen, by run and page by page: of a day, or of every day on its circuit.
import { api, done, type Choices } from '$lib/api/client';
import { keys } from '$lib/api/keys';

export const choicesOf = (event: number, everywhere: boolean) => ({
  queryKey: keys.choices(event, everywhere),
  queryFn: ({ pageParam }: { pageParam: number | null }) =>
    done(
      api.GET('/api/choices', {
        params: { query: { event, everywhere, ...(pageParam === null ? {} : { after: pageParam }) } },
      }),
    ),
  initialPageParam: null as number | null,
  getNextPageParam: (last: Choices) => last.next,
});
