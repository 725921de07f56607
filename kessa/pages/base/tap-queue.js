// Keeps taps: in this browser the moment they are made, then on the server. Nothing is forgotten before it is answered for.

import { BATCH, fates, post } from "./tap-requests.js";
import { forget, keptOf, openStore, put } from "./store.js";

const FIRST_WAIT = 1000;
const LONGEST_WAIT = 30000;
// How often to look for what another device taps, where one does.
const LOOK_AROUND = 4000;
const KEEPS_NOTHING = "This browser keeps nothing of its own: stay on this page until all is saved.";

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

const aboutPage = () => document.title?.replace(" · Kessa", "");

export class Keeper {
  // onChange() after any change of taps; onClosed(page) when all is answered for and what it is about is closed;
  // onTrouble(words or null).
  constructor({ stream, address, whose, taps, begin, after, onChange, onClosed, onTrouble }) {
    Object.assign(this, { stream, address, whose, begin, after, onChange, onClosed, onTrouble });
    this.taps = new Map(taps.map((tap) => [tap.id, tap]));
    this.server = new Set(this.taps.keys());
    this.waiting = new Map();
    this.refused = new Map(); // what somebody has to mend or drop: no part of what is shown
    this.held = new Set(); // of what waits, what the server cannot keep yet
    this.lent = null; // who has the visit on this phone, where that is not whose page it is
    this.device = deviceName();
    this.store = null;
    this.busy = false;
    this.wait = FIRST_WAIT;
    this.timer = null;
    this.releasing = null;
    this.looked = Date.now();
  }

  async start() {
    try {
      this.store = await openStore();
      for (const tap of await keptOf(this.store, this.stream)) this.take(tap);
      this.keep([...this.taps.values()].filter((tap) => !this.waiting.has(tap.id)));
    } catch {
      this.keepsNothing();
    }
    if ("BroadcastChannel" in window) {
      this.channel = new BroadcastChannel(`kessa-${this.stream}`);
      this.channel.onmessage = ({ data }) => this.hear(data);
    }
    window.addEventListener("online", () => {
      // What is under way as the signal comes back may still fail: it is tried again at once, not after the long wait before.
      this.wait = FIRST_WAIT;
      this.send();
    });
    document.addEventListener("visibilitychange", () => !document.hidden && this.send());
    window.setInterval(() => this.lookAround(), LOOK_AROUND);
    this.onChange();
    this.send();
  }

  // Another tab of this browser made a tap, or learnt that some are answered for.
  hear({ tap, kept }) {
    if (tap) this.take(tap);
    for (const id of kept ?? []) if (this.waiting.delete(id)) this.server.add(id);
    this.onChange();
  }

  lookAround() {
    const shared = [...this.taps.values()].some((tap) => tap.device !== this.device && tap.device !== "page");
    const due = Date.now() - this.looked >= LOOK_AROUND - 500;
    // What waits here may be another tab's that was closed before it could send it.
    if (!document.hidden && this.timer === null && due && (shared || this.waiting.size > this.held.size)) this.send();
  }

  // A tap from this browser's store or from another tab: it waits unless the server has answered for it.
  take(tap) {
    if (tap.refused) return this.refused.set(tap.id, tap);
    this.taps.set(tap.id, tap);
    if (tap.sent || this.server.has(tap.id)) this.server.add(tap.id);
    else this.waiting.set(tap.id, tap);
  }

  // What the server has is kept here too, so that the page is whole when it opens again without a signal.
  keep(taps) {
    this.write(taps.map((tap) => ({ ...tap, stream: this.stream, sent: true })));
  }

  keepsNothing() {
    this.full = true;
    this.onTrouble(KEEPS_NOTHING);
  }

  write(taps, options) {
    if (this.store && taps.length) put(this.store, taps, options).catch(() => this.keepsNothing());
  }

  drop(ids) {
    for (const id of ids) {
      this.waiting.delete(id);
      this.held.delete(id);
      this.taps.delete(id);
      this.server.delete(id);
    }
    // What stays behind is put right when the page opens again.
    if (this.store && ids.length) forget(this.store, ids).catch(() => {});
  }

  // What was refused of a kind is forgotten: it is typed anew.
  async forgetRefused(kind) {
    const ids = [...this.refused.values()].filter((tap) => tap.kind === kind).map((tap) => tap.id);
    for (const id of ids) this.refused.delete(id);
    if (this.store) await forget(this.store, ids);
  }

  add(run, kind, data = {}) {
    const seq = [...this.taps.values()].reduce((most, tap) => Math.max(most, tap.seq), 0) + 1;
    const made = { id: newId(), run, kind, seq, at: new Date().toISOString(), data, device: this.device, whose: this.whose, ...(this.lent && { lent: this.lent }) };
    const tap = { ...made, stream: this.stream, address: this.address, about: aboutPage(), ...(this.after && { after: this.after.stream }) };
    this.take(tap);
    this.write([tap], { durability: "strict" });
    this.onChange();
    // It is kept and shown; then the others hear of it.
    this.channel?.postMessage({ tap });
    this.send();
    return tap;
  }

  async send() {
    // Of what will begin with its first tap the server knows nothing yet.
    if (this.busy || (this.begin && !this.taps.size)) return;
    window.clearTimeout(this.timer);
    this.timer = null;
    if (this.after?.waiting.size) {
      this.timer = window.setTimeout(() => this.send(), FIRST_WAIT);
      return;
    }
    this.busy = true;
    const batch = [...this.waiting.values()].filter((tap) => !this.held.has(tap.id)).sort((a, b) => a.seq - b.seq).slice(0, BATCH);
    let again = false;
    try {
      const reply = await post(this.address, batch, this.server.size);
      this.settle(reply, batch);
      again = this.waiting.size > this.held.size;
      if (reply.page && !this.waiting.size) this.closed(reply.page);
      this.wait = FIRST_WAIT;
      if (this.held.size) this.releasing ??= window.setTimeout(() => this.release(), LONGEST_WAIT);
    } catch (failure) {
      this.onTrouble(failure.told ? failure.message : null);
      this.timer = window.setTimeout(() => this.send(), this.wait);
      this.wait = Math.min(this.wait * 2, LONGEST_WAIT);
    }
    this.looked = Date.now();
    this.busy = false;
    this.onChange();
    if (again) this.send();
  }

  // What the server could not keep yet is tried again.
  release() {
    this.releasing = null;
    this.held.clear();
    this.send();
  }

  settle(reply, batch) {
    const late = new Set(reply.late);
    const { sent, refused, waiting } = fates(batch, reply);
    const kept = sent.filter((tap) => !late.has(tap.id));
    // What others waited for may be among it.
    if (kept.length) this.held.clear();
    for (const tap of kept) {
      this.server.add(tap.id);
      this.waiting.delete(tap.id);
    }
    for (const tap of waiting) {
      this.held.add(tap.id);
      this.waiting.set(tap.id, tap);
    }
    for (const tap of refused) {
      this.refused.set(tap.id, tap);
      this.waiting.delete(tap.id);
      this.taps.delete(tap.id);
    }
    this.keep(kept);
    this.write([...waiting, ...refused]);
    if (kept.length) this.channel?.postMessage({ kept: kept.map((tap) => tap.id) });
    this.drop([...late]);
    if (reply.taps) {
      this.server = new Set(reply.taps.map((tap) => tap.id));
      for (const tap of reply.taps) {
        this.taps.set(tap.id, tap);
        this.waiting.delete(tap.id);
      }
      this.keep(reply.taps);
      this.drop([...this.taps.keys()].filter((id) => !this.server.has(id) && !this.waiting.has(id)));
    }
    // What is kept here and was not taken is shown on every page (unsent.js); else it is told where it was tapped.
    this.onTrouble(this.full ? [...refused, ...waiting].map((tap) => tap.refused ?? tap.waits)[0] ?? KEEPS_NOTHING : null);
  }

  // Nothing waits any more: what is closed need not open again without a signal.
  closed(page) {
    this.drop([...this.taps.keys()]);
    this.onClosed(page);
  }
}
