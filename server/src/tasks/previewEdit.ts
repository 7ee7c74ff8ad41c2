import type { PreviewOrder } from '../judging/preview.ts';
import { previewEdit as preview } from '../judging/preview.ts';
import { task } from '../threads/protocol.ts';
import { makeData } from './modelRows.ts';

/** What an edit would do to the claims: the model is the one with the edit, and is not kept. */
export const previewEdit = task((input: PreviewOrder) => preview(input, makeData(input)));
