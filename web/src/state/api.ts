import type { ErrorState } from '@crease/contract';

/** An answer of the server that says no: its message is meant for the person. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly detail: ErrorState,
  ) {
    super(detail.message);
  }
}

const TAB_KEY = 'crease.window';

let windowName: string | undefined;

/** This window's name, so that it can tell its own edits from others': it stays when the page is loaded again. */
export function thisWindow(): string {
  if (windowName === undefined) {
    windowName = sessionStorage.getItem(TAB_KEY) ?? crypto.randomUUID();
    sessionStorage.setItem(TAB_KEY, windowName);
  }
  return windowName;
}

async function answerOf<T>(response: Response): Promise<T> {
  if (response.ok) return (await response.json()) as T;
  const detail = await response
    .json()
    .catch(() => ({ code: 'internal', message: `the server answered ${response.status}` }) as ErrorState);
  throw new ApiError(response.status, detail as ErrorState);
}

async function call(path: string, init?: RequestInit): Promise<Response> {
  try {
    return await fetch(path, init);
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error;
    throw new ApiError(0, {
      code: 'internal',
      message: 'the server does not answer: is it still running? What you see is kept',
    });
  }
}

export const get = async <T>(path: string): Promise<T> =>
  answerOf<T>(await call(`/api${path}`, { headers: { 'x-crease-tab': thisWindow() } }));

export const send = async <T>(
  path: string,
  body: unknown,
  method = 'POST',
  signal?: AbortSignal,
): Promise<T> =>
  answerOf<T>(
    await call(`/api${path}`, {
      method,
      headers: { 'content-type': 'application/json', 'x-crease-tab': thisWindow() },
      body: JSON.stringify(body),
      ...(signal ? { signal } : {}),
    }),
  );

export const remove = async (path: string): Promise<unknown> =>
  answerOf(await call(`/api${path}`, { method: 'DELETE', headers: { 'x-crease-tab': thisWindow() } }));

/** Sends a file as it is, telling how much has gone; fetch cannot tell that, so this is a plain request. */
export function sendFile<T>(
  path: string,
  file: File,
  onProgress: (part: number) => void,
  signal: AbortSignal,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open('POST', `/api${path}`);
    request.setRequestHeader('content-type', 'application/octet-stream');
    request.upload.onprogress = (event) => onProgress(event.total > 0 ? event.loaded / event.total : 0);
    request.onload = () => {
      try {
        const body = JSON.parse(request.responseText) as T & ErrorState;
        if (request.status < 300) resolve(body);
        else reject(new ApiError(request.status, body));
      } catch (error) {
        reject(
          new ApiError(request.status, {
            code: 'internal',
            message: `the server's answer cannot be read: ${(error as Error).message}`,
          }),
        );
      }
    };
    request.onerror = () =>
      reject(
        new ApiError(0, {
          code: 'internal',
          message: 'the file did not arrive: is the server still running?',
        }),
      );
    request.onabort = () => reject(new DOMException('cancelled', 'AbortError'));
    signal.addEventListener('abort', () => request.abort());
    request.send(file);
  });
}
