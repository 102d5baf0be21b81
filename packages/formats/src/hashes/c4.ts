import { createHash } from 'node:crypto';

const ALPHABET = '123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz';

/** SMPTE ST 2114 C4 identifier: SHA-512 in base 58, 90 characters. */
export function c4Id(bytes: Uint8Array): string {
  let value = BigInt(`0x${createHash('sha512').update(bytes).digest('hex')}`);
  let digits = '';
  while (value > 0n) {
    digits = ALPHABET[Number(value % 58n)] + digits;
    value /= 58n;
  }
  return `c4${digits.padStart(88, '1')}`;
}
