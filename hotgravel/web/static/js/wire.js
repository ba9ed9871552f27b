// What the server packs for the stage, unpacked: groups of typed arrays over one buffer.
const ARRAYS = { float32: Float32Array, uint32: Uint32Array, int32: Int32Array, int16: Int16Array, uint16: Uint16Array, uint8: Uint8Array };

// { frame, bytes, groups: [{ name, kind, every, count, ...its arrays }] }; of a group, every nth element is there.
export function unpack(buffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  const groups = head.groups.map(({ name, kind, every = 1, arrays }) => {
    const group = { name, kind, every, count: arrays[0]?.count ?? 0 };
    for (const a of arrays) group[a.name] = new ARRAYS[a.type](buffer, 4 + length + a.offset, a.count * a.width);
    return group;
  });
  return { frame: head.frame, bytes: buffer.byteLength, groups };
}

export async function fetchPacked(url) {
  const answer = await fetch(url);
  return answer.ok ? unpack(await answer.arrayBuffer()) : null;
}
