// Sends files in pieces: a broken connection costs one piece, and goes on by itself where it stopped. After the page was
// closed in the middle, choosing the same file again goes on, too.
import { token, type HandIn } from '$lib/api/client';
import { texts } from '$lib/words';

const PIECE = 4 << 20;
const TOGETHER = 2;
const WAITS_MS = [500, 1000, 2000, 4000, 8000, 15000];

interface Told {
  id: number;
  offset: number;
  hand_in?: HandIn | null;
}

class Refused extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

export class Sending {
  readonly name: string;
  arrived = $state(0);
  state = $state<'waiting' | 'sending' | 'broken' | 'failed' | 'done'>('waiting');
  error = $state<string | null>(null);
  #stopped = false;
  #request: XMLHttpRequest | null = null;
  #wake: (() => void) | null = null;
  #upload: number | null = null;

  constructor(
    readonly id: number,
    readonly file: File,
    readonly driver: string,
    readonly base: string,
  ) {
    this.name = file.name;
  }

  get share(): number {
    return this.file.size ? this.arrived / this.file.size : 0;
  }

  stop(): void {
    this.#stopped = true;
    this.#request?.abort();
    this.#wake?.();
    if (this.#upload !== null)
      void this.#ask('DELETE', `${this.base}/uploads/${this.#upload}`).catch(() => null);
  }

  /** Try at once instead of waiting for the next try. */
  now(): void {
    this.#wake?.();
  }

  async run(): Promise<HandIn | null> {
    let failures = 0;
    while (!this.#stopped) {
      try {
        this.state = 'sending';
        const begun = await this.#announce();
        this.#upload = begun.id;
        this.arrived = begun.offset;
        while (this.arrived < this.file.size && !this.#stopped) {
          const told = await this.#piece(begun.id);
          failures = 0;
          this.arrived = told.offset;
          if (told.hand_in) {
            this.#upload = null;
            this.state = 'done';
            return told.hand_in;
          }
        }
        // Everything arrived before, but the last answer was lost: announce again and see.
      } catch (error) {
        if (this.#stopped) break;
        if (error instanceof Refused && error.code !== 'offset' && error.code !== 'busy') {
          this.error = error.message;
          this.state = 'failed';
          return null;
        }
        this.state = 'broken';
        await this.#wait(WAITS_MS[Math.min(failures++, WAITS_MS.length - 1)] ?? 15000);
      }
    }
    return null;
  }

  #wait(ms: number): Promise<void> {
    return new Promise((resolve) => {
      const timer = setTimeout(resolve, ms);
      this.#wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
  }

  #announce(): Promise<Told> {
    const { name, size, lastModified } = this.file;
    const body = JSON.stringify({ name, size, modified: lastModified, driver: this.driver || null });
    return this.#ask('POST', `${this.base}/uploads`, body, { 'Content-Type': 'application/json' });
  }

  #piece(upload: number): Promise<Told> {
    const from = this.arrived;
    return this.#ask('PATCH', `${this.base}/uploads/${upload}`, this.file.slice(from, from + PIECE), {
      'Content-Type': 'application/octet-stream',
      'Upload-Offset': String(from),
    });
  }

  /** The browser's fetch cannot tell how much of a body has left; XMLHttpRequest can. */
  #ask(
    method: string,
    path: string,
    body: Blob | string | null = null,
    headers: Record<string, string> = {},
  ): Promise<Told> {
    return new Promise((resolve, reject) => {
      const request = new XMLHttpRequest();
      if (method !== 'DELETE') this.#request = request;
      request.open(method, path);
      request.setRequestHeader('X-CSRFToken', token());
      for (const [name, value] of Object.entries(headers)) request.setRequestHeader(name, value);
      const from = this.arrived;
      if (method === 'PATCH')
        request.upload.onprogress = (event) => {
          this.arrived = from + event.loaded;
        };
      request.onload = () => {
        if (request.status >= 200 && request.status < 300)
          return resolve((request.responseText ? JSON.parse(request.responseText) : {}) as Told);
        this.arrived = from;
        let told: { code?: string; message?: string } = {};
        try {
          told = JSON.parse(request.responseText) as typeof told;
        } catch {
          // Not our server's words, for example a proxy's: taken like a broken connection below.
        }
        if (request.status >= 500 && request.status !== 507) return reject(new Error('broken'));
        reject(new Refused(told.code ?? 'error', told.message ?? texts.handIn.broken));
      };
      request.onerror = request.onabort = () => {
        this.arrived = from;
        reject(new Error('broken'));
      };
      request.send(body);
    });
  }
}

/** The files that are on their way from this page. */
export class Outbox {
  items = $state<Sending[]>([]);
  #next = 0;
  #running = 0;

  constructor(
    readonly base: string,
    readonly arrived: () => void,
  ) {}

  get busy(): boolean {
    return this.items.some(
      (item) => item.state === 'waiting' || item.state === 'sending' || item.state === 'broken',
    );
  }

  add(files: File[], driver = ''): void {
    // Layouts first: a run that comes before its layout makes one of its own.
    const layout = (file: File) => /\.(geo)?json$/i.test(file.name);
    const sorted = [...files.filter(layout), ...files.filter((file) => !layout(file))];
    const fresh = sorted.map((file) => new Sending(++this.#next, file, driver.trim(), this.base));
    this.items = [...this.items, ...fresh];
    this.#go();
  }

  /** Take a file that failed off the list, or stop one that is on its way. */
  remove(item: Sending): void {
    item.stop();
    this.items = this.items.filter((other) => other.id !== item.id);
  }

  #go(): void {
    while (this.#running < TOGETHER) {
      const item = this.items.find((other) => other.state === 'waiting');
      if (!item) return;
      this.#running++;
      item.state = 'sending';
      void item.run().then((hand_in) => {
        this.#running--;
        if (hand_in) this.items = this.items.filter((other) => other.id !== item.id);
        this.arrived();
        this.#go();
      });
    }
  }
}

/** All files of a drop, also those in folders. */
export async function filesOf(data: DataTransfer): Promise<File[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (!entries.length) return [...data.files];
  const found: File[] = [];
  const walk = async (entry: FileSystemEntry): Promise<void> => {
    if (entry.isFile) {
      found.push(
        await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject)),
      );
    } else if (entry.isDirectory) {
      const reader = (entry as FileSystemDirectoryEntry).createReader();
      for (;;) {
        const some = await new Promise<FileSystemEntry[]>((resolve, reject) =>
          reader.readEntries(resolve, reject),
        );
        if (!some.length) break;
        for (const inside of some) await walk(inside);
      }
    }
  };
  for (const entry of entries) await walk(entry);
  return found;
}

/** Files of a folder that could be logs, and how many others there are. */
export function couldBeLogs(files: File[], endings: string[]): { good: File[]; others: number } {
  const good = files.filter(
    (file) =>
      !file.name.startsWith('.') && endings.some((ending) => file.name.toLowerCase().endsWith(ending)),
  );
  return { good, others: files.length - good.length };
}
