import { beforeEach, describe, expect, it, vi } from 'vitest';
import { couldBeLogs, Outbox } from '$lib/sending/sending.svelte';

// A server in little, by the protocol: keeps what arrives, and fails as told.
const server = {
  arrived: 0,
  size: 0,
  asked: [] as string[],
  failures: [] as ('broken' | 'lost answer' | number)[],
};

class FakeRequest {
  upload: { onprogress: ((event: unknown) => void) | null } = { onprogress: null };
  onload: (() => void) | null = null;
  onerror: ((event: unknown) => void) | null = null;
  onabort: (() => void) | null = null;
  status = 0;
  readyState = 4;
  responseText = '';
  #method = '';
  #path = '';
  #headers: Record<string, string> = {};
  #told: Record<string, string> = {};

  open(method: string, path: string): void {
    this.#method = method;
    this.#path = path.replace(location.origin, '');
  }
  setRequestHeader(name: string, value: string): void {
    this.#headers[name] = value;
  }
  getResponseHeader(name: string): string | null {
    return this.#told[name] ?? null;
  }
  abort(): void {
    this.onabort?.();
  }
  send(body: Blob | null): void {
    server.asked.push(`${this.#method} ${this.#path} ${this.#headers['Upload-Offset'] ?? ''}`.trim());
    const failure = this.#method === 'PATCH' ? server.failures.shift() : undefined;
    queueMicrotask(() => {
      if (failure === 'broken' || failure === 'lost answer') {
        server.arrived += failure === 'broken' ? Math.floor((body?.size ?? 0) / 2) : (body?.size ?? 0);
        this.onerror?.(new Event('error'));
        return;
      }
      if (typeof failure === 'number') {
        this.status = failure;
        this.responseText = JSON.stringify({ code: 'x', message: `Because of ${failure}.` });
        this.onload?.();
        return;
      }
      if (this.#method === 'POST') {
        server.size = Number(this.#headers['Upload-Length']);
        this.#told.Location = '/api/uploads/7';
      }
      if (this.#method === 'PATCH') server.arrived += body?.size ?? 0;
      this.#told['Upload-Offset'] = String(server.arrived);
      this.#told['Upload-Length'] = String(server.size);
      this.status = this.#method === 'POST' ? 201 : this.#method === 'HEAD' ? 200 : 204;
      this.onload?.();
    });
  }
}

const file = (name: string, size: number) => new File([new Uint8Array(size)], name, { lastModified: 5 });

beforeEach(() => {
  const kept = new Map<string, string>();
  vi.stubGlobal('location', { origin: 'http://lauftakt.example' });
  vi.stubGlobal('localStorage', {
    getItem: (key: string) => kept.get(key) ?? null,
    setItem: (key: string, value: string) => kept.set(key, value),
    removeItem: (key: string) => kept.delete(key),
  });
  vi.stubGlobal('XMLHttpRequest', FakeRequest);
  vi.stubGlobal('fetch', () => {
    const whole = server.arrived === server.size;
    return Promise.resolve(Response.json({ id: 7, hand_in: whole ? { id: 1 } : null }));
  });
  Object.assign(server, { arrived: 0, size: 0, asked: [], failures: [] });
});

describe('sending', () => {
  it('sends a file in pieces and takes it off the list', async () => {
    const box = new Outbox('/api', () => undefined);
    box.add([file('a.csv', 9_000_000)]);
    expect(box.busy).toBe(true);
    await vi.waitFor(() => expect(box.items).toEqual([]));
    expect(server.asked).toEqual([
      'POST /api/uploads',
      'PATCH /api/uploads/7 0',
      'PATCH /api/uploads/7 4194304',
      'PATCH /api/uploads/7 8388608',
    ]);
  });

  it('goes on where a broken connection stopped', async () => {
    server.failures = ['broken'];
    const box = new Outbox('/api', () => undefined);
    box.add([file('a.csv', 1000)]);
    const item = box.items[0];
    await vi.waitFor(() => expect(item?.state).toBe('broken'));
    item?.now();
    await vi.waitFor(() => expect(box.items).toEqual([]));
    expect(server.asked.slice(-2)).toEqual(['HEAD /api/uploads/7', 'PATCH /api/uploads/7 500']);
  });

  it('asks what became of a file whose last answer was lost, and sends nothing twice', async () => {
    server.failures = ['lost answer'];
    const box = new Outbox('/api', () => undefined);
    box.add([file('a.csv', 1000)]);
    const item = box.items[0];
    await vi.waitFor(() => expect(item?.state).toBe('broken'));
    item?.now();
    await vi.waitFor(() => expect(box.items).toEqual([]));
    expect(server.asked.filter((what) => what.startsWith('PATCH'))).toEqual(['PATCH /api/uploads/7 0']);
  });

  it('waits where the disk is full or the database away, says so, and goes on', async () => {
    server.failures = [507, 503, 429];
    const box = new Outbox('/api', () => undefined);
    box.add([file('a.csv', 10)]);
    const item = box.items[0];
    for (const status of [507, 503, 429]) {
      await vi.waitFor(() => expect(item?.error).toBe(`Because of ${status}.`));
      expect(item?.state).toBe('broken');
      item?.now();
    }
    await vi.waitFor(() => expect(box.items).toEqual([]));
  });

  it('says why a file was not kept, and goes on with the next', async () => {
    server.failures = [413];
    const box = new Outbox('/api', () => undefined);
    box.add([file('a.csv', 10)]);
    await vi.waitFor(() => expect(box.items[0]?.state).toBe('failed'));
    expect(box.items[0]?.error).toBe('Because of 413.');
    box.add([file('b.csv', 10)]);
    await vi.waitFor(() => expect(box.items.map((item) => item.name)).toEqual(['a.csv']));
  });

  it('forgets a file that was stopped', async () => {
    server.failures = ['broken'];
    const box = new Outbox('/api', () => undefined);
    box.add([file('a.csv', 1000)]);
    const item = box.items[0];
    await vi.waitFor(() => expect(item?.state).toBe('broken'));
    if (item) box.remove(item);
    expect(box.items).toEqual([]);
    await vi.waitFor(() => expect(server.asked.at(-1)).toBe('DELETE /api/uploads/7'));
  });

  it('sends layouts before logs', () => {
    const box = new Outbox('/api', () => undefined);
    box.add([file('a.csv', 1), file('b.geojson', 1)]);
    expect(box.items.map((item) => item.name)).toEqual(['b.geojson', 'a.csv']);
  });

  it('takes from a folder what could be a log', () => {
    const found = couldBeLogs([file('a.CSV', 1), file('.b.csv', 1), file('c.pdf', 1)], ['.csv']);
    expect(found.good.map((item) => item.name)).toEqual(['a.CSV']);
    expect(found.others).toBe(2);
  });
});
