// The screen stays awake while clocks run, where the browser can do that.

const running = new Set();
let lock = null;

// Say whether clocks of a test run.
export async function stayAwake(stream, runs) {
  if (runs === running.has(stream)) return;
  if (runs) running.add(stream);
  else running.delete(stream);
  await hold();
}

async function hold() {
  if (!("wakeLock" in navigator) || document.hidden) return;
  if (running.size && (!lock || lock.released)) lock = await navigator.wakeLock.request("screen").catch(() => null);
  else if (!running.size && lock) await lock.release();
}

// A page that was out of sight has lost it.
document.addEventListener("visibilitychange", hold);
