import type { AnswerOf, AnyEndpoint, ArgsOf, BodyOf, ErrorState, UploadState } from '@crease/contract';
import { addressOf, api } from '@crease/contract';
import { knownAuthor } from './author.ts';

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

/**
 * This window's name, so that it can tell its own edits from others': it stays when the page is loaded again.
 */
export function thisWindow(): string {
  if (windowName === undefined) {
    windowName = sessionStorage.getItem(TAB_KEY) ?? crypto.randomUUID();
    sessionStorage.setItem(TAB_KEY, windowName);
  }
  return windowName;
}

async function errorOf(response: Response): Promise<ApiError> {
  const detail = await response
    .json()
    .catch(() => ({ code: 'internal', message: `the server answered ${response.status}` }) as ErrorState);
  return new ApiError(response.status, detail as ErrorState);
}

async function call(path: string, init?: RequestInit): Promise<Response> {
  try {
    return await fetch(path, init);
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error;
    throw new ApiError(0, {
      code: 'internal',
      message: 'the server does not answer: is it still running? What is shown here stays',
    });
  }
}

/** A body is asked for where the endpoint has one. */
export type Rest<E extends AnyEndpoint> =
  BodyOf<E> extends undefined
    ? [body?: undefined, signal?: AbortSignal]
    : [body: BodyOf<E>, signal?: AbortSignal];

/**
 * Asks the server. Throws ApiError for an answer that says no, DOMException `AbortError` where the signal
 * ends it.
 */
export async function ask<E extends AnyEndpoint>(
  endpoint: E,
  args: ArgsOf<E>,
  ...[body, signal]: Rest<E>
): Promise<AnswerOf<E>> {
  const response = await call(`/api${addressOf(endpoint, args)}`, {
    method: endpoint.method,
    headers: {
      'x-crease-tab': thisWindow(),
      ...(endpoint.method === 'GET' ? {} : { 'x-crease-author': encodeURIComponent(knownAuthor()) }),
      ...(endpoint.method === 'GET' ? {} : { 'content-type': 'application/json' }),
    },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    ...(signal ? { signal } : {}),
  });
  if (!response.ok) throw await errorOf(response);
  return (endpoint.gives === 'file' ? await response.text() : await response.json()) as AnswerOf<E>;
}

/** Sends a file as it is, telling how much has gone; fetch cannot tell that, so this is a plain request. */
export function sendFile(
  file: File,
  onProgress: (part: number) => void,
  signal: AbortSignal,
): Promise<UploadState> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open(api.intake.upload.method, `/api${addressOf(api.intake.upload, { name: file.name })}`);
    request.setRequestHeader('content-type', 'application/octet-stream');
    request.upload.onprogress = (event) => onProgress(event.total > 0 ? event.loaded / event.total : 0);
    request.onload = () => {
      try {
        const body = JSON.parse(request.responseText) as UploadState & ErrorState;
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
