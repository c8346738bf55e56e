import {
  createCipheriv,
  createDecipheriv,
  createPublicKey,
  diffieHellman,
  generateKeyPairSync,
  hkdfSync,
  type KeyObject,
  randomBytes,
} from 'node:crypto';

// What goes over the queue is read by nobody on the way: keys are agreed on for one job (X25519, RFC 7748; HKDF, RFC 5869),
// and everything is encrypted with a code of its own that says that it is whole (AES-256-GCM).

/** In bytes. */
const [ivLength, codeLength, keyLength] = [12, 16, 32];

/** One side of an agreement on a key, for one job. */
export class KeyAgreement {
  readonly #own = generateKeyPairSync('x25519');

  /** What the other side is told, as base64. */
  get offer(): string {
    return this.#own.publicKey.export({ type: 'spki', format: 'der' }).toString('base64');
  }

  /** @param context what the key is for: the same on both sides. Throws where the other's offer is none */
  agree(offer: string, context: string): SealingKey {
    const publicKey: KeyObject = createPublicKey({
      key: Buffer.from(offer, 'base64'),
      type: 'spki',
      format: 'der',
    });
    const shared = diffieHellman({ privateKey: this.#own.privateKey, publicKey });
    return new SealingKey(Buffer.from(hkdfSync('sha256', shared, '', context, keyLength)));
  }
}

/** Encrypts and decrypts what two know the key of. */
export class SealingKey {
  constructor(readonly bytes: Buffer) {}

  static random(): SealingKey {
    return new SealingKey(randomBytes(keyLength));
  }

  static from(base64: string): SealingKey {
    return new SealingKey(Buffer.from(base64, 'base64'));
  }

  get base64(): string {
    return this.bytes.toString('base64');
  }

  /** A key for one purpose, which tells nothing of this one. */
  derive(context: string): SealingKey {
    return new SealingKey(Buffer.from(hkdfSync('sha256', this.bytes, '', context, keyLength)));
  }

  /** @param about what the content belongs to: it opens for the same alone */
  seal(content: Uint8Array, about: string): Buffer {
    const iv = randomBytes(ivLength);
    const cipher = createCipheriv('aes-256-gcm', this.bytes, iv).setAAD(Buffer.from(about));
    const sealed = Buffer.concat([cipher.update(content), cipher.final()]);
    return Buffer.concat([iv, sealed, cipher.getAuthTag()]);
  }

  /** Throws where it was changed, is cut, belongs to something else, or was sealed by another key. */
  open(sealed: Uint8Array, about: string): Buffer {
    if (sealed.length < ivLength + codeLength) throw new Error('What has come is too short to be sealed.');
    const iv = sealed.subarray(0, ivLength);
    const decipher = createDecipheriv('aes-256-gcm', this.bytes, iv)
      .setAAD(Buffer.from(about))
      .setAuthTag(sealed.subarray(sealed.length - codeLength));
    return Buffer.concat([
      decipher.update(sealed.subarray(ivLength, sealed.length - codeLength)),
      decipher.final(),
    ]);
  }
}
