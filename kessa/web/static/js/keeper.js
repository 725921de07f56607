// Keeps taps: in this browser the moment they are made, then on the server. Nothing is forgotten before it is answered for.

export const BATCH = 200;
const FIRST_WAIT = 1000;
const LONGEST_WAIT = 30000;
const LOOK_AROUND = 4000;

export function asked(request) {
  return new Promise((resolve, reject) => {
    request.onsuccess = () => resolve(request.result);
    request.onerror = () => reject(request.error);
  });
}

export async function openStore() {
  const opening = indexedDB.open("kessa-taps", 1);
  opening.onupgradeneeded = () => opening.result.createObjectStore("taps", { keyPath: "id" }).createIndex("determination", "determination");
  return asked(opening);
}

// A UUID (RFC 9562, version 4) from what every browser has, also where the page did not come over TLS.
export function newId() {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  bytes[6] = (bytes[6] & 0x0f) | 0x40;
  bytes[8] = (bytes[8] & 0x3f) | 0x80;
  const hex = [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  return hex.replace(/(.{8})(.{4})(.{4})(.{4})(.{12})/, "$1-$2-$3-$4-$5");
}

function deviceName() {
  try {
    if (!localStorage.getItem("kessa-device")) localStorage.setItem("kessa-device", newId());
    return localStorage.getItem("kessa-device");
  } catch {
    return "no memory";
  }
}

const csrfToken = () => document.cookie.match(/(?:^|; )csrftoken=([^;]*)/)?.[1] ?? "";

// Post taps and return the server's reply; `known` is how many events of the determination this page has from it.
export async function post(address, taps, known) {
  const answer = await fetch(address, {
    method: "POST",
    credentials: "same-origin",
    headers: { "Content-Type": "application/json", "X-CSRFToken": csrfToken() },
    body: JSON.stringify({ events: taps.map(({ determination, address: _, sent, ...tap }) => tap), known }),
    signal: AbortSignal.timeout(15000),
  });
  const reply = await answer.json();
  if (!answer.ok) throw Object.assign(new Error(reply.error), { told: answer.status < 500 });
  return reply;
}

export class Keeper {
  // onChange() after any change of events; onReply(reply) with what the server says; onTrouble(words or null).
  constructor({ id, address, events, onChange, onReply, onTrouble }) {
    Object.assign(this, { id, address, onChange, onReply, onTrouble });
    this.events = new Map(events.map((event) => [event.id, event]));
    this.server = new Set(this.events.keys());
    this.waiting = new Map();
    this.device = deviceName();
    this.store = null;
    this.busy = false;
    this.wait = FIRST_WAIT;
    this.timer = null;
  }

  async start() {
    try {
      this.store = await openStore();
      const taps = await asked(this.store.transaction("taps").objectStore("taps").index("determination").getAll(this.id));
      for (const tap of taps) this.take(tap);
      this.keep([...this.events.values()].filter((event) => !this.waiting.has(event.id)));
    } catch {
      this.onTrouble("This browser keeps nothing of its own: stay on this page until all is saved.");
    }
    if ("BroadcastChannel" in window) {
      this.channel = new BroadcastChannel(`kessa-${this.id}`);
      this.channel.onmessage = (message) => {
        this.take(message.data);
        this.onChange();
      };
    }
    window.addEventListener("online", () => this.send());
    document.addEventListener("visibilitychange", () => !document.hidden && this.send());
    window.setInterval(() => !document.hidden && this.timer === null && this.send(), LOOK_AROUND);
    this.onChange();
    this.send();
  }

  // A tap from this browser's store or from another tab: it waits unless the server has answered for it.
  take(tap) {
    this.events.set(tap.id, tap);
    if (tap.sent || this.server.has(tap.id)) this.server.add(tap.id);
    else this.waiting.set(tap.id, tap);
  }

  // What the server has is kept here too, so that the page is whole when it opens again without a signal.
  keep(events) {
    const taps = this.store?.transaction("taps", "readwrite").objectStore("taps");
    for (const event of events) taps?.put({ ...event, determination: this.id, sent: true });
  }

  drop(ids) {
    const taps = this.store?.transaction("taps", "readwrite").objectStore("taps");
    for (const id of ids) {
      this.waiting.delete(id);
      this.events.delete(id);
      this.server.delete(id);
      taps?.delete(id);
    }
  }

  add(run, kind, data = {}) {
    const seq = Math.max(0, ...[...this.events.values()].map((event) => event.seq)) + 1;
    const tap = { id: newId(), run, kind, seq, at: new Date().toISOString(), data, device: this.device, determination: this.id, address: this.address };
    this.take(tap);
    this.channel?.postMessage(tap);
    this.store?.transaction("taps", "readwrite", { durability: "strict" }).objectStore("taps").put(tap);
    this.onChange();
    this.send();
    return tap;
  }

  async send() {
    if (this.busy) return;
    this.busy = true;
    window.clearTimeout(this.timer);
    this.timer = null;
    const batch = [...this.waiting.values()].sort((a, b) => a.seq - b.seq).slice(0, BATCH);
    let again = false;
    try {
      this.settle(await post(this.address, batch, this.server.size));
      again = this.waiting.size > 0;
      this.wait = FIRST_WAIT;
    } catch (failure) {
      this.onTrouble(failure.told ? failure.message : null);
      this.timer = window.setTimeout(() => this.send(), this.wait);
      this.wait = Math.min(this.wait * 2, LONGEST_WAIT);
    }
    this.busy = false;
    this.onChange();
    if (again) this.send();
  }

  settle(reply) {
    const answered = reply.kept.filter((id) => this.waiting.has(id));
    this.keep(answered.map((id) => this.waiting.get(id)));
    for (const id of answered) {
      this.server.add(id);
      this.waiting.delete(id);
    }
    this.drop([...reply.late, ...reply.refused.map(([id]) => id)]);
    if (reply.events) {
      this.server = new Set(reply.events.map((event) => event.id));
      for (const event of reply.events) this.events.set(event.id, event);
      this.keep(reply.events);
      this.drop([...this.events.keys()].filter((id) => !this.server.has(id) && !this.waiting.has(id)));
    }
    if (reply.result) this.drop([...this.events.keys()]);
    this.onTrouble(reply.refused.length ? reply.refused[0][1] : null);
    this.onReply(reply);
  }
}
