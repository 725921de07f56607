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

// The ids that a reply answers for: kept, late or refused. Only these need not be sent again.
export const answered = (reply) => new Set([...reply.kept, ...reply.late, ...reply.refused.map(([id]) => id)]);
