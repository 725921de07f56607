// What the scripts of the pages need of a browser, in memory, and a server at the door of taps. No page, no clock of its own.

import { registerHooks } from "node:module";
import { mock } from "node:test";

const stores = new Map();
// How durable each writing was to be.
export const how = [];

class Store {
  rows = new Map();
  constructor() {
    this.put = async (row) => void this.rows.set(row.id ?? row.stream, structuredClone(row));
    this.delete = async (key) => void this.rows.delete(key);
  }
}

// The part of idb that is used.
export async function openDB(name) {
  if (!stores.has(name)) stores.set(name, new Store());
  const store = stores.get(name);
  return {
    getAll: async () => [...store.rows.values()],
    clear: async () => store.rows.clear(),
    getAllFromIndex: async (_, index, value) => [...store.rows.values()].filter((row) => row[index] === value),
    transaction: (_name, _mode, options) => {
      how.push(options?.durability);
      return { store, commit: () => {}, done: Promise.resolve() };
    },
  };
}

export const kept = async () => (await openDB("kessa-kept")).getAll();

registerHooks({
  resolve: (name, context, next) =>
    name.endsWith("/idb/index.js") ? { url: import.meta.url, format: "module", shortCircuit: true } : { ...next(name, context), ...(name.startsWith(".") ? { format: "module" } : {}) },
});

// A server that keeps what comes to each address, but for what it is told to refuse; `down` answers nothing.
export class Server {
  constructor() {
    Object.assign(this, { taps: new Map(), posts: [], refuses: new Map(), holds: new Map(), missing: new Set(), late: new Set(), down: false });
    globalThis.fetch = async (address, { body }) => this.answer(address, JSON.parse(body));
  }

  at(address) {
    if (!this.taps.has(address)) this.taps.set(address, new Map());
    return this.taps.get(address);
  }

  answer(address, { taps, known }) {
    this.posts.push({ address, taps: taps.length });
    this.during?.();
    if (this.down) throw new TypeError("no signal");
    if (this.missing.has(address)) return { ok: false, status: 404, json: async () => ({ error: "There is no such test.", refused: this.beginnings ?? [] }) };
    const standing = this.at(address);
    const before = standing.size;
    const reply = { kept: [], late: [], refused: [], waits: [] };
    for (const tap of taps) {
      if (this.refuses.has(tap.kind)) reply.refused.push([tap.id, this.refuses.get(tap.kind)]);
      else if (this.holds.has(tap.kind)) reply.waits.push([tap.id, this.holds.get(tap.kind)]);
      else if (this.late.has(address)) reply.late.push(tap.id);
      else reply.kept.push(tap.id);
      if (reply.kept.includes(tap.id)) standing.set(tap.id, tap);
    }
    if (this.late.has(address)) reply.page = "/log/1/";
    if (before !== known) reply.taps = [...standing.values()];
    return { ok: true, status: 200, json: async () => reply };
  }
}

// A page of this browser, hidden or seen, with time in the test's hand.
export function page() {
  stores.clear();
  const heard = new Map();
  const listens = { addEventListener: (what, act) => heard.set(what, act) };
  globalThis.document = { hidden: false, cookie: "csrftoken=t", title: "The brook · Kessa", querySelector: () => null, querySelectorAll: () => [], dispatchEvent: () => {}, ...listens };
  globalThis.window = { ...listens, setTimeout: (...each) => setTimeout(...each), clearTimeout, setInterval: (...each) => setInterval(...each) };
  globalThis.localStorage = { getItem: () => "this phone", setItem: () => {} };
  mock.timers.reset();
  mock.timers.enable({ apis: ["setTimeout", "setInterval", "Date"], now: Date.UTC(2026, 10, 23, 9) });
  return { heard };
}

// Let all that was begun come to its end.
export async function settled() {
  for (let turn = 0; turn < 60; turn += 1) await Promise.resolve();
}

export async function pass(seconds) {
  for (let second = 0; second <= seconds; second += 1) {
    await settled();
    if (second < seconds) mock.timers.tick(1000);
  }
}
