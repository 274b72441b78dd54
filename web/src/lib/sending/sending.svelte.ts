// Sends files by the open protocol tus: a broken connection costs one piece, and goes on by itself where it stopped. After
// the page was closed in the middle, choosing the same file again goes on, too.
import { DetailedError, Upload } from 'tus-js-client';
import { renewToken, token, type HandIn } from '$lib/api/client';
import { texts } from '$lib/words';

const PIECE = 4 << 20;
const TOGETHER = 2;
// Longer and longer, up to twenty seconds, for as long as it takes.
const WAITS_MS = [500, 1000, 2000, 4000, 8000, 15000, 20000];

interface Told {
  code?: string;
  message?: string;
}

/** What the server said against a piece, and whether it may be different in a while. */
interface Refusal {
  status: number;
  told: Told;
  passes: boolean;
}

export class Sending {
  readonly name: string;
  arrived = $state(0);
  state = $state<'waiting' | 'sending' | 'broken' | 'failed' | 'done'>('waiting');
  /** why it failed, or what it waits for */
  error = $state<string | null>(null);
  #stopped = false;
  #upload: Upload;
  #wake: (() => void) | null = null;
  #end: ((how: Refusal | null) => void) | null = null;

  constructor(
    readonly id: number,
    readonly file: File,
    readonly driver: string,
    readonly base: string,
  ) {
    this.name = file.name;
    const { name, size, lastModified } = file;
    const endpoint = `${location.origin}${base}/uploads`;
    this.#upload = new Upload(file, {
      endpoint,
      chunkSize: PIECE,
      retryDelays: null, // we wait ourselves, to say so and to go on at once when somebody asks for it
      metadata: { filename: name, modified: String(lastModified), ...(driver ? { driver } : {}) },
      fingerprint: () => Promise.resolve(['lauftakt', endpoint, name, size, lastModified, driver].join('\n')),
      removeFingerprintOnSuccess: true,
      onBeforeRequest: (request) => request.setHeader('X-CSRFToken', token()),
      onProgress: (sent) => (this.arrived = sent),
      onSuccess: () => this.#end?.(null),
      onError: (error) => this.#end?.(refusalOf(error)),
    });
  }

  get share(): number {
    return this.file.size ? this.arrived / this.file.size : 0;
  }

  stop(): void {
    this.#stopped = true;
    const begun = this.#upload.url !== null && this.state !== 'done';
    void this.#upload.abort(begun).catch(() => null);
    this.#wake?.();
    this.#end?.(null);
  }

  /** Try at once instead of waiting for the next try. */
  now(): void {
    this.#wake?.();
  }

  async run(): Promise<HandIn | null> {
    for (let failures = 0, before = 0; !this.#stopped;) {
      this.state = 'sending';
      const refusal = (await this.#send()) ?? (await this.#ask());
      if (this.#stopped) break;
      if (!('passes' in refusal)) {
        this.state = 'done';
        return refusal;
      }
      if (refusal.told.code === 'token' && (await renewToken())) continue;
      if (!refusal.passes) {
        this.error = refusal.told.message ?? texts.handIn.broken;
        this.state = 'failed';
        return null;
      }
      if (this.arrived > before) failures = 0;
      before = this.arrived;
      this.state = 'broken';
      this.error = refusal.told.message ?? null;
      await this.#wait(WAITS_MS[Math.min(failures++, WAITS_MS.length - 1)] ?? 20000);
      this.error = null;
    }
    return null;
  }

  /** Send what is still to be sent; null once all of it is there. */
  async #send(): Promise<Refusal | null> {
    if (this.#upload.url === null) {
      const [last] = await this.#upload.findPreviousUploads();
      if (last) this.#upload.resumeFromPreviousUpload(last);
    }
    if (this.#stopped) return null;
    const ended = new Promise<Refusal | null>((resolve) => (this.#end = resolve));
    this.#upload.start();
    return ended;
  }

  /** What became of a file that is there: asked for, so that an answer that was lost is no file that is sent again. */
  async #ask(): Promise<HandIn | Refusal> {
    const answer = await fetch(this.#upload.url ?? '', { cache: 'no-store' }).catch(() => null);
    if (!answer) return { status: 0, told: {}, passes: true };
    const found = (await answer.json().catch(() => ({}))) as Told & { hand_in?: HandIn | null };
    if (answer.ok && found.hand_in) return found.hand_in;
    return {
      status: answer.status,
      told: answer.ok ? {} : found,
      passes: answer.ok || passes(answer.status),
    };
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
}

/** Whether what the server said may be different in a while: away, busy, no room, or another piece just arriving. */
const passes = (status: number): boolean =>
  status === 0 || status >= 500 || [408, 409, 423, 429].includes(status);

function refusalOf(error: Error | DetailedError): Refusal {
  const answer = error instanceof DetailedError ? error.originalResponse : null;
  let told: Told = {};
  try {
    told = JSON.parse(answer?.getBody() ?? '{}') as Told;
  } catch {
    // Not our server's words, for example a proxy's.
  }
  const status = answer?.getStatus() ?? 0;
  return { status, told, passes: passes(status) };
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
