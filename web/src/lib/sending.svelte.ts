// Sends one file with progress; the browser's fetch cannot tell how much of a body has left.
import { token } from './api/client';
import { texts } from './texts';

let next = 0;

export interface Sending {
  readonly id: number;
  readonly name: string;
  readonly share: number;
  readonly error: string | null;
  start(): Promise<void>;
  stop(): void;
}

export function sendFile(file: File, driver: string): Sending {
  const id = ++next;
  let share = $state(0);
  let error = $state<string | null>(null);
  const request = new XMLHttpRequest();
  let stopped = false;

  function start(): Promise<void> {
    return new Promise((resolve) => {
      if (stopped) return resolve();
      const form = new FormData();
      form.append('file', file, file.name);
      if (driver) form.append('driver', driver);
      request.open('POST', '/api/hand-ins');
      request.setRequestHeader('X-CSRFToken', token());
      request.upload.onprogress = (event) => {
        if (event.lengthComputable) share = event.loaded / event.total;
      };
      request.onload = () => {
        if (request.status >= 300) {
          try {
            error = (JSON.parse(request.responseText) as { message?: string }).message ?? texts.handIn.broken;
          } catch {
            error = texts.handIn.broken;
          }
        }
        resolve();
      };
      request.onerror = () => {
        error = texts.handIn.broken;
        resolve();
      };
      request.onabort = () => resolve();
      request.send(form);
    });
  }

  return {
    id,
    name: file.name,
    get share() {
      return share;
    },
    get error() {
      return error;
    },
    start,
    stop() {
      stopped = true;
      request.abort();
    },
  };
}
