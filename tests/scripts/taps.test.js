// The keeper and the outbox: nothing is forgotten before it is answered for, nothing holds up anything else.

import assert from "node:assert/strict";
import { test } from "node:test";
import { how, kept, page, pass, Server, settled } from "./browser.js";

const { Keeper } = await import("../../kessa/pages/base/tap-queue.js");
const { sendWaiting } = await import("../../kessa/pages/base/outbox.js");
const ADDRESS = "/taps/bench/1/";

async function opened(server, taps = []) {
  const seen = { closed: null, trouble: null };
  const keeper = new Keeper({ stream: "1", address: ADDRESS, whose: "Per", taps, onChange: () => {}, onClosed: (where) => { seen.closed = where; }, onTrouble: (words) => { seen.trouble = words; } });
  for (const tap of taps) server.at(ADDRESS).set(tap.id, tap);
  await keeper.start();
  await settled();
  return { keeper, seen };
}

const elsewhere = (id, seq) => ({ id, run: "sample-1", kind: "drop_added", seq, at: "2026-11-23T09:00:00Z", data: {}, device: "another phone" });

test("what is tapped without a signal waits, is sent when there is one, and stays in the browser", async () => {
  page();
  const server = new Server();
  const { keeper } = await opened(server);
  server.down = true;
  for (let drop = 0; drop < 3; drop += 1) keeper.add("sample-1", "drop_added");
  await settled();
  assert.equal(keeper.waiting.size, 3);
  assert.deepEqual((await kept()).map((tap) => [tap.whose, tap.sent]), Array(3).fill(["Per", undefined]));
  server.down = false;
  await pass(60);
  assert.deepEqual([keeper.waiting.size, server.at(ADDRESS).size], [0, 3]);
  assert.ok((await kept()).every((tap) => tap.sent));
});

test("another phone's taps come with the next reply and take nothing of one's own away", async () => {
  page();
  const server = new Server();
  const { keeper } = await opened(server);
  server.at(ADDRESS).set("theirs", elsewhere("theirs", 7));
  server.refuses.set("voided", "Only who ran it voids it.");
  const mine = keeper.add("sample-1", "drop_added");
  await settled();
  assert.deepEqual([...keeper.taps.keys()].sort(), [mine.id, "theirs"].sort());
  server.down = true;
  const later = keeper.add("sample-1", "drop_added");
  assert.equal(later.seq, 8);
  server.down = false;
  server.at(ADDRESS).delete("theirs");
  await pass(60);
  assert.deepEqual([...keeper.taps.keys()].sort(), [mine.id, later.id].sort());
});

test("what is refused is said, leaves what is shown, holds up nothing, and is kept until it is mended", async () => {
  page();
  const server = new Server();
  const { keeper, seen } = await opened(server);
  server.down = true;
  server.refuses.set("voided", "Only who ran it voids it.");
  for (const kind of ["voided", "drop_added"]) keeper.add("sample-1", kind);
  server.down = false;
  await pass(60);
  assert.deepEqual([...keeper.taps.values()].map((tap) => tap.kind), ["drop_added"]);
  assert.equal(seen.trouble, null); // unsent.js says it, once
  assert.deepEqual((await kept()).map((tap) => [tap.kind, tap.sent, tap.refused]).sort(), [["drop_added", true, undefined], ["voided", undefined, "Only who ran it voids it."]]);
  const posts = server.posts.length;
  await sendWaiting();
  const again = await opened(server);
  assert.deepEqual([server.posts.slice(posts).map((post) => post.taps), again.keeper.refused.size, again.keeper.taps.size], [[0], 1, 1]);
  server.late.add(ADDRESS);
  again.keeper.add("sample-1", "drop_added");
  await settled();
  assert.equal(again.seen.closed, "/log/1/");
  assert.deepEqual((await kept()).map((tap) => tap.kind), ["voided"]);
});

test("what waits for another person goes on waiting, holds up nothing, and is sent when they are there", async () => {
  page();
  const server = new Server();
  const store = await import("../../kessa/pages/base/store.js");
  const { keeper, seen } = await opened(server);
  server.holds.set("voided", "It waits until Sanna is signed in here.");
  for (const kind of ["voided", "drop_added"]) keeper.add("sample-1", kind);
  await settled();
  assert.equal(seen.trouble, null);
  assert.deepEqual([keeper.waiting.size, keeper.taps.size, server.at(ADDRESS).size], [1, 2, 1]);
  const posts = server.posts.length;
  await pass(25);
  assert.equal(server.posts.length, posts);
  await pass(10);
  assert.equal(server.posts.length, posts + 1);
  const waits = async () => (await kept()).filter((tap) => !tap.sent).map((tap) => [tap.kind, tap.waits]);
  assert.deepEqual(await waits(), [["voided", "It waits until Sanna is signed in here."]]);
  for (let visit = 0; visit < 3; visit += 1) await sendWaiting();
  assert.deepEqual((await waits()).length, 1);
  server.holds.clear();
  await sendWaiting();
  assert.deepEqual([await waits(), server.at(ADDRESS).size], [[], 2]);
  assert.equal((await store.allKept(await store.openStore())).length, 2);
});

test("of what cannot begin only the beginning is to be mended, all else waits for it", async () => {
  page();
  const server = new Server();
  const keeper = new Keeper({ stream: "1", address: ADDRESS, whose: "Per", taps: [], begin: true, onChange: () => {}, onClosed: () => {}, onTrouble: () => {} });
  await keeper.start();
  server.down = true;
  const first = keeper.add("", "test_begun");
  keeper.add("sample-1", "drop_added");
  Object.assign(server, { down: false, beginnings: [[first.id, "Your team has no such method."]] });
  server.missing.add(ADDRESS);
  await pass(2);
  assert.deepEqual([[...keeper.refused.keys()], keeper.waiting.size], [[first.id], 1]);
});

test("a test that another phone closed is left only when every tap is answered for", async () => {
  page();
  const server = new Server();
  const { keeper, seen } = await opened(server);
  server.down = true;
  for (let drop = 0; drop < 250; drop += 1) keeper.add("sample-1", "drop_added");
  server.late.add(ADDRESS);
  server.down = false;
  await pass(60);
  assert.deepEqual(server.posts.slice(-2).map((post) => post.taps), [200, 50]);
  assert.equal(seen.closed, "/log/1/");
  assert.deepEqual([await kept(), keeper.taps.size], [[], 0]);
});

test("a page looks around only where another device taps, or after it was hidden", async () => {
  const { heard } = page();
  const server = new Server();
  const { keeper } = await opened(server);
  const before = server.posts.length;
  await pass(120);
  assert.equal(server.posts.length, before);
  document.hidden = true;
  heard.get("visibilitychange")();
  document.hidden = false;
  server.at(ADDRESS).set("theirs", elsewhere("theirs", 3));
  heard.get("visibilitychange")();
  await settled();
  assert.ok(keeper.taps.has("theirs"));
  const shared = server.posts.length;
  for (let look = 0; look < 5; look += 1) await pass(4);
  assert.equal(server.posts.length, shared + 5);
});

test("what is tapped while another phone's taps come in stays, and is sent", async () => {
  page();
  const server = new Server();
  const { keeper } = await opened(server);
  server.at(ADDRESS).set("theirs", elsewhere("theirs", 7));
  server.during = () => {
    server.during = null;
    keeper.add("sample-1", "drop_added");
  };
  keeper.add("sample-1", "drop_added");
  await settled();
  assert.deepEqual([keeper.taps.size, server.at(ADDRESS).size], [3, 3]);
});

test("a tap is on the disk before it counts as kept", async () => {
  page();
  how.length = 0;
  const { keeper } = await opened(new Server());
  keeper.add("sample-1", "drop_added");
  assert.deepEqual(how.slice(-1), ["strict"]);
});

test("what came after the end is no part of what is shown", async () => {
  page();
  const server = new Server();
  const { keeper, seen } = await opened(server, [elsewhere("before", 1)]);
  server.late.add(ADDRESS);
  server.down = true;
  for (let drop = 0; drop < 201; drop += 1) keeper.add("sample-1", "drop_added");
  server.down = false;
  let between = null;
  server.during = () => {
    between = keeper.taps.size;
  };
  await pass(30);
  assert.deepEqual([between, seen.closed], [2, "/log/1/"]);
});

test("without a signal it is tried again ever more slowly, at least twice a minute, and at once when it is back", async () => {
  const { heard } = page();
  const server = new Server();
  const { keeper } = await opened(server);
  server.down = true;
  keeper.add("sample-1", "drop_added");
  await pass(300);
  const posts = server.posts.length;
  await pass(300);
  assert.ok(server.posts.length - posts >= 9 && server.posts.length - posts <= 11, server.posts.length - posts);
  server.down = false;
  heard.get("online")();
  await settled();
  assert.equal(keeper.waiting.size, 0);
});

test("of many tests that wait, one that the server does not know holds up none of the others", async () => {
  page();
  const server = new Server();
  const store = (await import("../../kessa/pages/base/store.js"));
  const opened = await store.openStore();
  const waiting = (stream, count) => Array.from({ length: count }, (_, seq) => ({ ...elsewhere(`${stream}-${seq}`, seq + 1), stream, address: `/taps/bench/${stream}/` }));
  await store.put(opened, [...waiting("a", 2), ...waiting("b", 230), ...waiting("c", 1)]);
  server.missing.add("/taps/bench/a/");
  await sendWaiting();
  assert.deepEqual(["a", "b", "c"].map((stream) => server.at(`/taps/bench/${stream}/`).size), [0, 230, 1]);
  assert.deepEqual((await kept()).filter((tap) => !tap.sent).map((tap) => tap.stream), ["a", "a"]);
});

test("a test on a sample that is not sent yet waits for its visit, on its own page and on any other", async () => {
  page();
  const server = new Server();
  server.down = true;
  const keepers = ["visit", "bench"].map((of) => ({ stream: of, address: `/taps/${of}/1/`, whose: "Per", taps: [], begin: true, onChange: () => {}, onClosed: () => {}, onTrouble: () => {} }));
  const visit = new Keeper(keepers[0]);
  const bench = new Keeper({ ...keepers[1], after: visit });
  for (const keeper of [visit, bench]) await keeper.start();
  visit.add("", "visit_begun");
  bench.add("", "test_begun");
  await settled();
  assert.ok(server.posts.every((post) => post.address === "/taps/visit/1/"));
  await sendWaiting();
  assert.ok(server.posts.every((post) => post.address === "/taps/visit/1/"));
  server.down = false;
  await sendWaiting();
  const sent = server.posts.map((post) => post.address);
  assert.ok(sent.indexOf("/taps/bench/1/") > sent.lastIndexOf("/taps/visit/1/") - 1);
  assert.deepEqual(["visit", "bench"].map((of) => server.at(`/taps/${of}/1/`).size), [1, 1]);
});

test("of what has not begun the server is asked nothing", async () => {
  page();
  const server = new Server();
  const keeper = new Keeper({ stream: "2", address: ADDRESS, whose: "Per", taps: [], begin: true, onChange: () => {}, onClosed: () => {}, onTrouble: () => {} });
  await keeper.start();
  await pass(60);
  assert.equal(server.posts.length, 0);
});

test("a page that keeps nothing says itself what was not taken, as no other will", async () => {
  page();
  const server = new Server();
  const { keeper, seen } = await opened(server);
  server.refuses.set("voided", "Only who ran it voids it.");
  keeper.keepsNothing();
  keeper.add("sample-1", "voided");
  await settled();
  assert.equal(seen.trouble, "Only who ran it voids it.");
  keeper.add("sample-1", "drop_added");
  await settled();
  assert.match(seen.trouble, /keeps nothing/);
});
