// A UUID that follows from another and a name (RFC 9562, version 5): whoever makes it, it is the same.

export async function uuid5(namespace, name) {
  const space = namespace.replaceAll("-", "").match(/../g).map((hex) => Number.parseInt(hex, 16));
  const bytes = new Uint8Array(await crypto.subtle.digest("SHA-1", new Uint8Array([...space, ...new TextEncoder().encode(name)]))).slice(0, 16);
  bytes[6] = (bytes[6] & 0x0f) | 0x50;
  bytes[8] = (bytes[8] & 0x3f) | 0x80;
  const hex = [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  return hex.replace(/(.{8})(.{4})(.{4})(.{4})(.{12})/, "$1-$2-$3-$4-$5");
}
