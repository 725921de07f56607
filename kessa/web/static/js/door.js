// The one door for taps: a batch goes out, and what became of each comes back.

export const BATCH = 200;

const csrfToken = () => document.cookie.match(/(?:^|; )csrftoken=([^;]*)/)?.[1] ?? "";

// What only this browser needs to know of a tap stays here.
const outgoing = ({ stream, address, sent, after, ...tap }) => tap;

// Post taps and return the server's reply; `known` is how many of the stream's taps this page has from it.
export async function post(address, taps, known) {
  const answer = await fetch(address, {
    method: "POST",
    credentials: "same-origin",
    headers: { "Content-Type": "application/json", "X-CSRFToken": csrfToken() },
    body: JSON.stringify({ taps: taps.map(outgoing), known, now: new Date().toISOString() }),
    signal: AbortSignal.timeout(15000),
  });
  const reply = await answer.json();
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

// The ids that a reply answers for: kept, late or refused. Only these need not be sent again.
export const answered = (reply) => new Set([...reply.kept, ...reply.late, ...reply.refused.map(([id]) => id)]);
