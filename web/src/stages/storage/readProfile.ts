import type { ProfileDocument } from '@crease/core/storage';
import { profileDocumentSchema } from '@crease/core/storage';

/** A profile that was handed on. Throws an Error that says what the file is not. */
export function readProfile(text: string, name: string): ProfileDocument {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new Error(`${name} is no JSON: choose a profile that was saved here as a file to hand on`);
  }
  const parsed = profileDocumentSchema.safeParse(json);
  if (parsed.success) return parsed.data;
  const [issue] = parsed.error.issues;
  throw new Error(
    `${name} is no profile to hand on: ${issue?.path.join('.') || 'it'} ${issue?.message ?? 'is wrong'}`,
  );
}
