// Typed arrays that grow now and then: each has a buffer of its own, which may be longer than it is.
import type * as THREE from "three";

type Numbers = Float32Array | Int16Array | Int32Array | Uint32Array | Uint8Array;
type Maker<T> = new (buffer: ArrayBufferLike | number, at?: number, length?: number) => T;

/** The array with another length: over the same buffer where that is long enough, else copied into one
 * with room to spare. What comes in is whatever stood there. */
export function resized<T extends Numbers>(array: T, length: number): T {
  const make = array.constructor as Maker<T>;
  if (array.byteOffset === 0 && length * array.BYTES_PER_ELEMENT <= array.buffer.byteLength)
    return new make(array.buffer, 0, length);
  // A quarter more, in whole items of two, three and four.
  const wider = new make(12 * Math.ceil(length / 9.6 + 20));
  wider.set(array.subarray(0, length));
  return new make(wider.buffer, 0, length);
}

/** All of the buffer of an array that has one of its own. */
export function room<T extends Numbers>(array: T): T {
  return array.byteOffset === 0 ? new (array.constructor as Maker<T>)(array.buffer) : array;
}

/** What lies no further apart goes to the graphics card in one go. */
const GAP = 256;

/** Has some of an attribute's items, ascending, go to the graphics card again. */
export function touch(attribute: THREE.BufferAttribute, items: ArrayLike<number>) {
  if (items.length === 0) return;
  const { itemSize } = attribute;
  let first = items[0] ?? 0;
  let last = first;
  const put = () => attribute.addUpdateRange(itemSize * first, itemSize * (last - first + 1));
  for (let i = 1; i < items.length; i++) {
    const item = items[i] ?? 0;
    if (item - last > GAP) {
      put();
      first = item;
    }
    last = item;
  }
  put();
  attribute.needsUpdate = true;
}
