import type { Response } from 'express';
import type { LiveEvent } from '@crease/contract';

/** Sends events to the browsers that show a model (Server-Sent Events of the HTML standard). */
export class Hub {
  private readonly listeners = new Map<number, Set<Response>>();

  /** Keeps the answer open as a stream of events until the browser goes away. */
  join(modelId: number, response: Response): void {
    response.set({
      'content-type': 'text/event-stream',
      'cache-control': 'no-store',
      connection: 'keep-alive',
    });
    response.flushHeaders();
    response.write(': here\n\n');
    const all = this.listeners.get(modelId) ?? new Set();
    this.listeners.set(modelId, all.add(response));
    const beat = setInterval(() => response.write(': still here\n\n'), 20_000);
    response.on('close', () => {
      clearInterval(beat);
      all.delete(response);
    });
  }

  send(modelId: number, event: LiveEvent): void {
    for (const response of this.listeners.get(modelId) ?? [])
      response.write(`data: ${JSON.stringify(event)}\n\n`);
  }

  close(): void {
    for (const all of this.listeners.values()) for (const response of all) response.end();
  }
}
