import { beforeEach, describe, expect, it, vi } from 'vitest';
import { couldBeLogs, Outbox } from '$lib/sending/sending.svelte';

// A server in little: keeps what arrives, and fails as told.
const server = {
  arrived: 0,
  size: 0,
  asked: [] as string[],
  failures: [] as ('broken' | number)[],
};

class FakeRequest {
  upload: { onprogress: ((event: unknown) => void) | null } = { onprogress: null };
  onload: (() => void) | null = null;
  onerror: (() => void) | null = null;
  onabort: (() => void) | null = null;
  status = 0;
  responseText = '';
  #method = '';
  #path = '';
  #headers: Record<string, string> = {};

  open(method: string, path: string): void {
    this.#method = method;
    this.#path = path;
  }
  setRequestHeader(name: string, value: string): void {
    this.#headers[name] = value;
  }
  abort(): void {
    this.onabort?.();
  }
  send(body: Blob | string | null): void {
    server.asked.push(`${this.#method} ${this.#path} ${this.#headers['Upload-Offset'] ?? ''}`.trim());
    const failure = this.#method === 'PATCH' ? server.failures.shift() : undefined;
    queueMicrotask(() => {
      if (failure === 'broken') {
        server.arrived += Math.floor((body as Blob).size / 2);
        this.onerror?.();
        return;
      }
      if (typeof failure === 'number') {
        this.status = failure;
        this.responseText = JSON.stringify({ code: 'disk', message: 'The disk is full.' });
        this.onload?.();
        return;
      }
      if (this.#method === 'POST') server.size = (JSON.parse(body as string) as { size: number }).size;
      if (this.#method === 'PATCH') server.arrived += (body as Blob).size;
      const whole = this.#method === 'PATCH' && server.arrived >= server.size;
      this.status = 200;
      this.responseText = JSON.stringify({
        id: 7,
        offset: server.arrived,
        hand_in: whole ? { id: 1 } : null,
      });
      this.onload?.();
    });
  }
}

const file = (name: string, size: number) => new File([new Uint8Array(size)], name, { lastModified: 5 });

beforeEach(() => {
  vi.stubGlobal('XMLHttpRequest', FakeRequest);
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
    expect(server.asked.at(-1)).toBe('PATCH /api/uploads/7 500');
  });

  it('says why a file was not kept, and goes on with the next', async () => {
    server.failures = [507];
    const box = new Outbox('/api', () => undefined);
    box.add([file('a.csv', 10)]);
    await vi.waitFor(() => expect(box.items[0]?.state).toBe('failed'));
    expect(box.items[0]?.error).toBe('The disk is full.');
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
