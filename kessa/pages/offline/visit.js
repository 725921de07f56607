// A visit that was taken along: from safety to closing on one page, kept in this browser and sent when there is a signal.

import { Board } from "../bench/board.js";
import { Circumstances } from "../conditions/circumstances.js";
import { partOfPage } from "../base/tap-requests.js";
import { carryFocus, showSaved, showTrouble } from "../bench/keys.js";
import { handedOver } from "../base/handover.js";
import { tell } from "../base/announcer.js";
import { Keeper, newId } from "../base/tap-queue.js";
import { begunByOwner, goingOn, isTakenOver, lentOf, takerOf, tapped as tappedOn } from "./visit-leader.js";
import { make } from "../base/element.js";
import { numberOf } from "../base/number-field.js";
import { canSeal, sealed } from "./pin.js";
import { allKept, openStore } from "../base/store.js";
import { uuid5 } from "./uuid5.js";

const given = JSON.parse(document.getElementById("along-payload").textContent);
const page = document.querySelector("[data-along]");
const one = (selector) => page.querySelector(selector);
const ONE_WAY = 8 * 3600 * 1000;

let keeper;
let circumstances;
let board = null;
let planned = [];
const opened = new Set(); // the samples whose tests are on the board
const clock = new Intl.DateTimeFormat(undefined, { hour: "2-digit", minute: "2-digit" });

// ---- where the visit stands ----------------------------------------------------------------------------------------

// Who comes along and who knows is offered again at the next stop; what is to be confirmed is not.
function offerAgain(kept) {
  const since = new Date(Date.now() - ONE_WAY).toISOString();
  const last = begunByOwner(kept, given).find((tap) => tap.at > since && tap.stream !== keeper.stream)?.data.safety ?? {};
  for (const name of ["company", "told", "back_by"]) {
    const field = one(`[data-safety] [name=${name}]`);
    field.value ||= last[name] ?? "";
  }
}

const tapped = (...kinds) => tappedOn(keeper, ...kinds);
const present = () => (tapped("visit_closed").length ? "closed" : !tapped("visit_begun").length ? "safety" : tapped("sample_drawn").length ? "tests" : tapped("observed").length ? "sample" : "circumstances");

function go(stage) {
  const focused = document.activeElement;
  for (const each of page.querySelectorAll("[data-stage]")) each.hidden = each.dataset.stage !== stage;
  one("[data-stages]").hidden = ["safety", "closed"].includes(stage);
  for (const each of page.querySelectorAll("[data-stages] [data-to]")) each.setAttribute("aria-pressed", String(each.dataset.to === stage));
  if (stage === "close") showLeftOut();
  if (stage === "sample") offerSample();
  if (stage === "tests") board?.plan();
  window.scrollTo({ top: 0 });
  carryFocus(focused, () => one(`[data-stage=${stage}]`));
}

function drawn() {
  circumstances.show();
  takeUp();
  showPaused();
  showSaved(keepers());
  showClosed();
}

const keepers = () => [keeper, ...(board?.benches ?? []).map((bench) => bench.keeper)];

// What was not taken, of the closing and of all before it, is said in its own words.
function showClosed() {
  const [refused, waiting] = [keepers().some((each) => each.refused.size), keepers().some((each) => each.waiting.size)];
  const sent = refused ? "Something of it was not taken: see “On this phone”. " : waiting ? "It is kept on this phone and sent when there is a signal. " : "It is sent. ";
  one("[data-closed-words]").textContent = `${sent}Tell whoever waits to hear from you.`;
}

// ---- safety --------------------------------------------------------------------------------------------------------

function begin(form) {
  const said = Object.fromEntries(new FormData(form));
  const bit = (name) => (said[name]?.trim() ? "1" : "0");
  const ice = form.querySelector("[name=ice_or_flood]") ? said.ice_or_flood : "none";
  const missing = [!said.told?.trim() && "Say who knows where you are.", !said.back_by && "Say by when they should hear from you.", !said.ready && "Confirm that you have read the hazards.", !ice && "Ice or flood there? Say which, or neither."].filter(Boolean);
  const refused = missing.length ? missing : (given.refusals[`${bit("company")}${bit("alone")}${bit("rule_followed")}${bit("plant_ready")} ${ice}`] ?? []);
  showTrouble(one("[data-refused]"), refused.join(" "));
  if (refused.length) return one("[data-refused]").scrollIntoView({ block: "center" });
  keeper.add("", "visit_begun", { place: given.place, safety: said, along_at: given.made_at });
  go("circumstances");
}

// ---- sample --------------------------------------------------------------------------------------------------------

// How it is drawn is said by one's choice; of ice or flood, as it was confirmed, what is asked for is chosen.
function chooseWay(key) {
  one("[data-sample] [name=way]").value = key;
  for (const each of page.querySelectorAll("[data-way]")) each.hidden = each.dataset.way !== key;
}

function offerWay() {
  const hazard = tapped("visit_begun").at(-1)?.data.safety.ice_or_flood ?? "none";
  const ways = [...page.querySelectorAll("[data-ways] input")];
  const named = (way, name) => way.dataset[name].split(" ").includes(hazard);
  for (const way of ways) way.closest("label").hidden = named(way, "neverIn");
  const taken = ways.find((way) => named(way, "firstIn")) ?? ways.find((way) => way.checked && !named(way, "neverIn"));
  for (const way of ways) way.checked = way === taken;
  if (ways.length) chooseWay(taken?.value ?? "");
}

// The thermometer was read a moment ago: what was noted stands in the sample's own field, where it is of the same water.
function offerTemperature() {
  const field = one("[data-sample] [name=water_temperature_c]");
  const noted = circumstances.newest("temperature")?.data.value;
  if (field.value || given.hot.above !== null || typeof noted !== "number") return;
  field.value = String(Math.round(noted * 10) / 10);
  field.dispatchEvent(new Event("input", { bubbles: true }));
}

// A sample is drawn now, not when the page was taken along, and no deeper than the water.
function offerSample() {
  const before = tapped("sample_drawn").at(-1);
  one("[data-drawn-before]").hidden = !before;
  if (before) one("[data-drawn-before]").textContent = `A sample was drawn at ${clock.format(new Date(before.data.at))}: its tests go on under Tests. Another sample has tests of its own.`;
  one("[data-sample] .is-primary").textContent = before ? "Keep another sample" : "Keep the sample";
  offerWay();
  offerTemperature();
  const now = new Date();
  one("[data-sample] [name=drawn_at]").value = new Date(now - now.getTimezoneOffset() * 60000).toISOString().slice(0, 16);
  const depth = one("[data-sample] [name=depth_cm]");
  const water = circumstances.newest("water_depth")?.data.value;
  if (depth && water && numberOf(depth) > water) depth.value = water;
  const drawnBy = one("[data-sample] [name=drawn_by]");
  if (tookOver() && [...drawnBy.options].some(({ value }) => Number(value) === taker())) drawnBy.value = taker();
}

// As the server's own rule has it.
function untimely(at) {
  const { slack_s, within_s, to_come, too_old } = given.drawn;
  const ago_s = (Date.now() - at) / 1000;
  return ago_s < -slack_s ? to_come : ago_s > within_s ? too_old : null;
}

function draw(form) {
  const said = Object.fromEntries(new FormData(form));
  const field = (name) => form.elements[name];
  const number = (name) => (field(name) ? numberOf(field(name)) : null);
  const drawn_at = new Date(said.drawn_at);
  const against = untimely(drawn_at) ?? (given.hot.above !== null && number("water_temperature_c") >= given.hot.above ? given.hot.words : null);
  showTrouble(one("[data-not-drawn]"), against);
  if (against) return;
  const data = { place: given.place, sample: newId(), at: drawn_at.toISOString(), by: Number(said.drawn_by), depth_cm: number("depth_cm"), water_temperature_c: number("water_temperature_c"), way: said.way ?? "", bottle: number("bottle") };
  keeper.add("", "sample_drawn", data);
  openTests().then(() => go("tests"));
}

// Each sample has the planned tests: their numbers follow from its own, as on the server. Those of one stay as they are where
// another is drawn.
async function openTests() {
  const samples = tapped("sample_drawn").map(({ data }) => data);
  const first = !board;
  if (first) {
    const articles = [...page.querySelectorAll("[data-family]")];
    planned = articles.map((article) => ({ family: article.dataset.family, text: `${chipOf(page, article).outerHTML}${article.outerHTML}` }));
    for (const article of articles) number(page, article, await uuid5(samples[0].sample, article.dataset.family), { sample: samples[0].sample });
    one("[data-board]").dataset.lanesAt = given.lanes_at.replace(given.none, keeper.stream);
    board = new Board(one("[data-board]"), { onDrawn: drawn, after: keeper });
    opened.add(samples[0].sample);
    takeUp();
    board.start();
  }
  for (const { sample, at } of samples.filter((each) => !opened.has(each.sample))) {
    opened.add(sample);
    for (const { family, text } of planned) {
      const bench = putPart(text, await uuid5(sample, family), { sample }, (name) => [`${clock.format(new Date(at))} ${name}`, `${name}, sample of ${clock.format(new Date(at))}`]);
      if (!first && family === planned[0].family) board.show(bench);
    }
    for (const button of page.querySelectorAll("[data-beside]")) button.hidden = false;
  }
  if (first) await openBegun(samples);
}

// What was begun besides the plan goes on, and so do checks.
async function openBegun(samples) {
  const begun = (await allKept(await openStore())).filter((tap) => !tap.refused && tap.kind === "test_begun" && tap.after === keeper.stream);
  for (const { sample } of samples)
    for (const button of page.querySelectorAll("[data-beside]")) {
      const stream = await uuid5(sample, button.dataset.beside);
      if (begun.some((tap) => tap.stream === stream)) await openBeside(button, sample);
    }
  for (const { stream, data } of begun) if (data.purpose) await openCheck(data, stream);
}

const chipOf = (root, article) => root.querySelector(`[data-chip="${article.dataset.stream}"]`);

// A test is told its number, and what it begins with.
function number(root, article, stream, begin) {
  const chip = chipOf(root, article);
  if (chip) chip.dataset.chip = stream;
  const order = one("[data-order]");
  if (order) order.dataset.order = order.dataset.order.replace(article.dataset.stream, stream);
  article.dataset.stream = stream;
  const payload = article.querySelector("script[type='application/json']");
  const of = JSON.parse(payload.textContent);
  const at = (address) => address.replace(given.none, stream);
  Object.assign(of, { stream, address: at(given.test_at), outcome: at(given.outcome_at), here: `${window.location.pathname}#${stream}` });
  Object.assign(of.begin, begin);
  payload.textContent = JSON.stringify(of);
}

// A test besides the plan: its part of the page was taken along too.
async function openBeside(button, sample) {
  const bench = await openPart(button.dataset.at, one("[data-beside-said]"), await uuid5(sample, button.dataset.beside), { sample });
  if (bench) button.hidden = true;
  return bench;
}

// A blank or a standard: any number of them by one method.
async function openCheck({ method, purpose, against }, stream) {
  const option = one(`[data-check] option[value="${method}"]`);
  const word = one(`[data-check] [value=${purpose}]`).nextElementSibling.textContent.toLowerCase();
  return openPart(option.dataset.at, one("[data-check-said]"), stream, { purpose, against }, () => Array(2).fill(`${option.textContent.trim()}: ${word}`));
}

function check(form) {
  const said = new FormData(form);
  const standard = said.get("purpose") === "standard";
  const expected = numberOf(form.elements.expected);
  one("[data-check-said]").textContent = standard && !expected ? "Say how strong the standard is, as its bottle says." : "";
  if (standard && !expected) return;
  openCheck({ method: said.get("method"), purpose: said.get("purpose"), against: standard ? { expected } : {} }, newId()).then(showOpened);
}

// Put a part that was taken along on the board; null where it is not along, which is said.
async function openPart(address, said, stream, begin, name) {
  try {
    const bench = putPart(await partOfPage(address), stream, begin, name);
    said.closest("details").open = false;
    return bench;
  } catch {
    said.textContent = "This test is not along: it can begin when there is a signal.";
    tell("fault", said.textContent);
    return null;
  }
}

const showOpened = (bench) => bench && board.show(bench);

// Put a test on the board, under a number of its own, and under what `name` makes of its name: for the chip and the title.
function putPart(text, stream, begin, name) {
  const [, drafted] = text.match(/data-stream="([^"]+)"/);
  const part = new DOMParser().parseFromString(text.replaceAll(drafted, stream), "text/html");
  const article = part.querySelector("[data-family]");
  number(part, article, stream, begin);
  const chip = part.querySelector("[data-chip]");
  const [short, title] = [chip.querySelector("b"), article.querySelector("h2")];
  if (name) [short.textContent, title.textContent] = name(title.textContent);
  const nav = one("nav.tests-on-board");
  nav.hidden = false;
  nav.append(document.adoptNode(chip));
  one("[data-board-said]").after(document.adoptNode(article));
  const bench = board.add(article);
  takeUp();
  return bench;
}

// ---- pause and handing over -----------------------------------------------------------------------------------------

const isPaused = () => tapped("paused", "resumed", "handed_over").at(-1)?.kind === "paused";
const taker = () => takerOf(keeper, given.me);
const tookOver = () => isTakenOver(keeper);

function showPaused() {
  const name = taker() !== given.me && (one(`[data-hand] option[value="${taker()}"]`)?.textContent ?? "Another person");
  one("[data-paused-words]").textContent = isPaused() ? "The visit is paused." : name ? `${name} has this visit.` : "Back in a while? Clocks run on.";
  one("[data-pause]").textContent = isPaused() ? "Go on with the visit" : "Pause the visit";
  const theirs = Boolean(name) && !tookOver();
  for (const each of page.querySelectorAll("[data-take], [data-theirs]")) each.hidden = !theirs;
  one("[data-close]").hidden = theirs;
  for (const each of one("[data-hand]").elements.taker.options) each.hidden = each.disabled = Number(each.value) === (taker() ?? given.me);
  for (const each of page.querySelectorAll("[data-taker]")) each.textContent = name || "";
}

// What is tapped from now on is of whom it was handed to, once they took it over here.
function takeUp() {
  const lent = lentOf(keeper, given.me);
  // The PIN was none: it is asked for again.
  if (keeper.lent && !lent && taker() !== given.me) go("pause");
  for (const each of keepers()) each.lent = lent;
}

function hand(form) {
  const said = new FormData(form);
  keeper.add("", "handed_over", { taker: Number(said.get("taker")), remark: said.get("remark") });
  form.reset();
  go(taker() === given.me ? present() : "pause");
  one("[data-take] input").focus();
}

async function takeOver(form) {
  const pin = new FormData(form).get("pin").trim();
  const [known, right] = [given.pins.includes(taker()) && canSeal(), /^[0-9]{6,12}$/.test(pin)];
  one("[data-take-said]").textContent = known ? (right ? "" : "A PIN has 6 to 12 digits.") : "There is no PIN to take it over with: sign in here when there is a signal, or go on on a phone of your own.";
  if (!known || !right) return form.elements.pin.focus();
  // What was wrong before is corrected by this.
  await keeper.forgetRefused("took_over");
  keeper.add("", "took_over", { taker: taker(), pin: await sealed(pin, given.sealing_key, `${keeper.stream} ${taker()}`) });
  form.reset();
  go(present());
}

// ---- closing -------------------------------------------------------------------------------------------------------

function showLeftOut() {
  const unseen = circumstances.asked.filter((scale) => !circumstances.newest(scale.dataset.scale)).length;
  const tests = board ? board.left.map((bench) => board.nameOf(bench)) : [...page.querySelectorAll("[data-chip] b")].map((each) => each.textContent);
  const missing = [unseen && `Not noted: ${unseen} of ${circumstances.asked.length} circumstances.`, !board && page.querySelector("[data-family]") && "No sample was drawn.", tests.length && `Tests not written down: ${tests.join(", ")}.`].filter(Boolean);
  one("[data-missing]").replaceChildren(...missing.map((words) => make("li", {}, words)));
  one("[data-left-out]").hidden = !missing.length;
}

// ---- the page ------------------------------------------------------------------------------------------------------

function close(form) {
  keeper.add("", "visit_closed", { remark: new FormData(form).get("remark") });
  go("closed");
}

function showSign() {
  const chosen = one("[data-check] [name=method]")?.selectedOptions[0];
  if (chosen) one("[data-check-sign]").textContent = chosen.dataset.sign;
}

for (const [name, submit] of Object.entries({ safety: begin, sample: draw, check, hand, take: takeOver, close }))
  one(`form[data-${name}]`)?.addEventListener("submit", (event) => {
    event.preventDefault();
    submit(event.target);
  });
page.addEventListener("change", ({ target }) => (target.name === "how" ? chooseWay(target.value) : showSign()));
page.addEventListener("click", (event) => {
  if (event.target.closest("[data-pause]")) return keeper.add("", isPaused() ? "resumed" : "paused");
  const beside = event.target.closest("[data-beside]");
  if (beside) return openBeside(beside, tapped("sample_drawn").at(-1).data.sample).then(showOpened);
  const to = event.target.closest("[data-to]")?.dataset.to;
  if (to === "tests" && !board) return go("sample");
  if (to) go(to);
});

await handedOver;
const kept = (await allKept(await openStore())).filter((tap) => !tap.refused);
const stream = goingOn(kept, given) ?? newId();
keeper = new Keeper({
  stream,
  address: given.visit_at.replace(given.none, stream),
  whose: given.whose,
  taps: [],
  begin: true,
  onChange: () => circumstances && drawn(),
  onClosed: () => {},
  onTrouble: (words) => showTrouble(one("[data-visit-trouble]"), words),
});
circumstances = new Circumstances(one("[data-circumstances]"), given.scales, keeper);
await keeper.start();
for (const form of page.querySelectorAll("form[data-kept-form]")) {
  form.action = form.action.replace(given.none, keeper.stream);
  form.dataset.after = keeper.stream;
}
takeUp();
if (tapped("sample_drawn").length) await openTests();
offerAgain(kept);
showSign();
go(present());
