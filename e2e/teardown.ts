import { rmSync } from 'node:fs';

/** Removes the workspace of the journeys. */
export default function teardown(): void {
  rmSync(process.env.CREASE_JOURNEYS!, { recursive: true, force: true });
}
