import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import { chmodSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';

/** A secret that cannot be read: its key is another, or lost. */
export class SecretError extends Error {}

const KEY_BYTES = 32;
const NONCE_BYTES = 12;
const TAG_BYTES = 16;

/** Where the key lies: in the configuration of the person who runs the server, never beside the workspace. */
const defaultKeyFile = (): string =>
  join(process.env.XDG_CONFIG_HOME || join(homedir(), '.config'), 'crease', 'key');

/**
 * Keeps passwords in the workspace so that the workspace alone does not give them away: AES-256-GCM (NIST SP
 * 800-38D) under a key in a file of its own, which is made at the first use and can be read by its owner
 * only.
 */
export class Secrets {
  constructor(private readonly keyFile: string = defaultKeyFile()) {}

  /** Nonce, tag and cipher text. `of` is what the secret belongs to: it opens for nothing else. */
  seal(secret: string, of: string): Buffer {
    const nonce = randomBytes(NONCE_BYTES);
    const cipher = createCipheriv('aes-256-gcm', this.key(true), nonce).setAAD(Buffer.from(of));
    const text = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()]);
    return Buffer.concat([nonce, cipher.getAuthTag(), text]);
  }

  /** Throws SecretError where the key is not the one that it was sealed with. */
  open(sealed: Buffer, of: string): string {
    try {
      const decipher = createDecipheriv(
        'aes-256-gcm',
        this.key(false),
        sealed.subarray(0, NONCE_BYTES),
      ).setAAD(Buffer.from(of));
      decipher.setAuthTag(sealed.subarray(NONCE_BYTES, NONCE_BYTES + TAG_BYTES));
      return Buffer.concat([
        decipher.update(sealed.subarray(NONCE_BYTES + TAG_BYTES)),
        decipher.final(),
      ]).toString('utf8');
    } catch (error) {
      if (error instanceof SecretError) throw error;
      throw new SecretError(
        `the password was encrypted with a key that this account does not have: enter it again`,
      );
    }
  }

  private key(make: boolean): Buffer {
    if (!existsSync(this.keyFile)) {
      if (!make) throw new SecretError('the key file of this account is gone: enter the password again');
      mkdirSync(dirname(this.keyFile), { recursive: true, mode: 0o700 });
      writeFileSync(this.keyFile, randomBytes(KEY_BYTES), { mode: 0o600, flag: 'wx' });
      chmodSync(this.keyFile, 0o600);
    }
    const key = readFileSync(this.keyFile);
    if (key.length !== KEY_BYTES)
      throw new SecretError(
        'the key file of this account (crease/key in its settings folder) is no key of this program: move it away, and enter passwords again',
      );
    return key;
  }
}
