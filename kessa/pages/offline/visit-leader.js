// Who has a visit on a phone, by what was tapped there: whose page it is, or whom it was handed to.

import { signedInAt } from "../base/handover.js";

export const tapped = (keeper, ...kinds) => [...keeper.taps.values()].filter((tap) => kinds.includes(tap.kind)).sort((a, b) => a.seq - b.seq);
export const takerOf = (keeper, me) => tapped(keeper, "handed_over").at(-1)?.data.taker ?? me;

// Whether they took it over on this phone: on another of its owner's nobody did, and whoever signed in since has it. What was
// refused since counts too: whose hands the phone is in is not known then, and no earlier name comes back.
export function isTakenOver(keeper) {
  const last = [...tapped(keeper, "handed_over", "took_over"), ...keeper.refused.values()].sort((a, b) => a.seq - b.seq).findLast(({ kind }) => ["handed_over", "took_over"].includes(kind));
  return last?.kind === "took_over" && last.device === keeper.device && last.at >= signedInAt() && !last.refused;
}

// In whose name it is tapped from now on: another's once they took the visit over here.
export function lentOf(keeper, me) {
  const to = takerOf(keeper, me);
  return isTakenOver(keeper) && to !== me ? { visit: keeper.stream, to } : null;
}

// The visits that a page's person began, the newest first.
export function begunByOwner(kept, { whose }) {
  const named = (signed) => signed?.split(":")[0];
  return kept.filter((tap) => tap.kind === "visit_begun" && named(tap.whose) === named(whose)).sort((a, b) => (a.at < b.at ? 1 : -1));
}

// The visit of theirs that goes on at the page's place, by what this browser keeps of it.
export function goingOn(kept, given) {
  const here = begunByOwner(kept, given).filter((tap) => tap.data.place === given.place);
  return here.find((tap) => !kept.some((each) => each.stream === tap.stream && each.kind === "visit_closed"))?.stream;
}
