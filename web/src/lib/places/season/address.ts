// Addresses of the views over days: the page's own, with some things changed.
export function changed(
  url: URL,
  change: Record<string, string | number | null>,
  path = url.pathname,
): string {
  const query = new URLSearchParams(path === url.pathname ? url.searchParams : undefined);
  for (const [name, value] of Object.entries(change)) {
    if (value === null || value === '') query.delete(name);
    else query.set(name, String(value));
  }
  const text = query.toString();
  return text ? `${path}?${text}` : path;
}

/** A whole number of an address, null where there is none. */
export function numberOf(url: URL, name: string): number | null {
  const text = url.searchParams.get(name) ?? '';
  return /^\d{1,9}$/.test(text) ? Number(text) : null;
}
