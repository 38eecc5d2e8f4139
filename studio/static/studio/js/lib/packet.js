// Reads frame packets; see pirouette/formats/packet.py for their layout.

// Halves of floats are read as they are, by the graphics card.
const TYPES = {
  float32: Float32Array,
  float16: Uint16Array,
  uint32: Uint32Array,
  uint16: Uint16Array,
  uint8: Uint8Array,
};

/**
 * Read a packet.
 * @param {ArrayBuffer} data
 * @returns {{header: object, buffers: Map<string, TypedArray>}}
 */
export function readPacket(data) {
  const bytes = new Uint8Array(data);
  if (String.fromCharCode(...bytes.subarray(0, 4)) !== "PRT1") throw new Error("This is not a frame packet.");
  const length = new DataView(data).getUint32(4, true);
  const header = JSON.parse(new TextDecoder().decode(bytes.subarray(8, 8 + length)));
  const start = 8 + length;
  const buffers = new Map();
  for (const entry of header.buffers) {
    const count = entry.shape.reduce((a, b) => a * b, 1);
    buffers.set(
      entry.key,
      new TYPES[entry.type](
        data.slice(start + entry.offset, start + entry.offset + count * TYPES[entry.type].BYTES_PER_ELEMENT),
      ),
    );
  }
  return { header, buffers };
}

/** Read a stream of packets, each after its length; calls back for each as it comes. */
export async function readStream(body, onPacket, onProblem) {
  const reader = body.getReader();
  let held = new Uint8Array(0);
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const joined = new Uint8Array(held.length + value.length);
    joined.set(held);
    joined.set(value, held.length);
    held = joined;
    for (;;) {
      if (held.length < 4) break;
      const view = new DataView(held.buffer, held.byteOffset);
      const length = view.getUint32(0, true);
      if (length === 0) {
        if (held.length < 8 || held.length < 8 + view.getUint32(4, true)) break;
        onProblem(new TextDecoder().decode(held.subarray(8, 8 + view.getUint32(4, true))));
        return;
      }
      if (held.length < 4 + length) break;
      onPacket(held.slice(4, 4 + length).buffer);
      held = held.slice(4 + length);
    }
  }
}
