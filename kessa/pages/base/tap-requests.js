// The one door for taps: a batch goes out, and what became of each comes back.

export const BATCH = 200;

// Who is signed in, by number; empty for nobody.
export const person = () => document.querySelector("meta[name=kessa-person]")?.content ?? "";

const csrfToken = () => document.cookie.match(/(?:^|; )csrftoken=([^;]*)/)?.[1] ?? "";

// What only this browser needs to know of a tap stays here.
export const outgoing = ({ stream, address, about, sent, after, waits, refused, ...tap }) => tap;

async function send(address, said) {
  const headers = { "Content-Type": "application/json", "X-CSRFToken": csrfToken() };
  const answer = await fetch(address, { method: "POST", credentials: "same-origin", headers, body: JSON.stringify(said), signal: AbortSignal.timeout(15000) });
  // Who shows what waits offers to sign in.
  document.dispatchEvent(new CustomEvent("kessa:signed", { detail: answer.status !== 401 }));
  return answer;
}

// Post something and return the reply; throws what is to be told where it is refused.
export async function postJson(address, said) {
  const answer = await send(address, said);
  const reply = await answer.json();
  if (!answer.ok) throw Object.assign(new Error(reply.error), { told: answer.status < 500 });
  return reply;
}

// Post taps and return the server's reply; `known` is how many of the stream's taps this page has from it.
export async function post(address, taps, known) {
  const answer = await send(address, { taps: taps.map(outgoing), known, now: new Date().toISOString() });
  const reply = await answer.json();
  // What they belong to is not there: what would have begun it may have been refused, all others wait.
  if (answer.status === 404 && reply.refused) {
    const refused = new Set(reply.refused.map(([id]) => id));
    return { kept: [], late: [], refused: reply.refused, waits: taps.filter((tap) => !refused.has(tap.id)).map((tap) => [tap.id, reply.error]) };
  }
  if (!answer.ok) throw Object.assign(new Error(reply.error), { told: answer.status < 500 });
  return reply;
}

// Post what was filled in; returns {error} where it is refused for good, and throws where it may go later.
export async function postForm({ address, fields }) {
  const body = new FormData();
  for (const [name, value] of fields) body.append(name, value);
  const headers = { "X-CSRFToken": csrfToken(), Accept: "application/json" };
  const answer = await fetch(address, { method: "POST", credentials: "same-origin", headers, body, signal: AbortSignal.timeout(60000) });
  if (answer.ok && !answer.redirected) return {};
  if ([400, 404, 413, 422].includes(answer.status)) return { error: (await answer.json().catch(() => ({}))).error ?? "It was not taken." };
  throw new Error("later");
}

// A part of a page, as the server or the worker has it; throws where there is none to be had, or one has to sign in first.
export async function partOfPage(address) {
  const answer = await fetch(address, { credentials: "same-origin" });
  if (!answer.ok || answer.redirected) throw new Error(answer.statusText);
  return answer.text();
}

// What became of the taps of a batch: `sent` are on the server; `refused` and `waiting` stay here, each with the reason.
export function fates(batch, reply) {
  const sent = new Set([...reply.kept, ...reply.late]);
  const [refused, waits] = [new Map(reply.refused), new Map(reply.waits)];
  return {
    sent: batch.filter((tap) => sent.has(tap.id)).map((tap) => ({ ...tap, sent: true })),
    refused: batch.filter((tap) => refused.has(tap.id)).map((tap) => ({ ...tap, refused: refused.get(tap.id) })),
    waiting: batch.filter((tap) => waits.has(tap.id)).map((tap) => ({ ...tap, waits: waits.get(tap.id) })),
  };
}
