// A PIN leaves the page only as sealed for the server: see kessa/record/people/pins.py.

const encode = (text) => new TextEncoder().encode(text);
const toBase64 = (bytes) => btoa(String.fromCharCode(...new Uint8Array(bytes)));
const fromBase64 = (text) => Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
const CURVE = { name: "ECDH", namedCurve: "P-256" };

// Only a page that came over TLS can seal.
export const canSeal = () => Boolean(globalThis.crypto?.subtle);

export async function sealed(pin, serversKey, forWhat) {
  const { subtle } = crypto;
  const mine = await subtle.generateKey(CURVE, false, ["deriveBits"]);
  const theirs = await subtle.importKey("raw", fromBase64(serversKey), CURVE, false, []);
  const shared = await subtle.deriveBits({ name: "ECDH", public: theirs }, mine.privateKey, 256);
  const drawn = await subtle.importKey("raw", shared, "HKDF", false, ["deriveKey"]);
  const how = { name: "HKDF", hash: "SHA-256", salt: new Uint8Array(), info: encode("kessa pin") };
  const key = await subtle.deriveKey(how, drawn, { name: "AES-GCM", length: 256 }, false, ["encrypt"]);
  const nonce = crypto.getRandomValues(new Uint8Array(12));
  const text = await subtle.encrypt({ name: "AES-GCM", iv: nonce, additionalData: encode(forWhat) }, key, encode(pin));
  return { key: toBase64(await subtle.exportKey("raw", mine.publicKey)), nonce: toBase64(nonce), text: toBase64(text) };
}
