// Sound and vibration, where the person allows them on this phone.

let audio = null;

export const setting = (name) => localStorage.getItem(`kessa-${name}`) === "on";

// Browsers let a page sound only after a touch: this is called on one.
export function readySound() {
  audio ??= new AudioContext();
}

export function beep(hertz, seconds) {
  readySound();
  const tone = audio.createOscillator();
  const loud = audio.createGain();
  loud.gain.value = 0.15;
  tone.frequency.value = hertz;
  tone.connect(loud).connect(audio.destination);
  tone.start();
  tone.stop(audio.currentTime + seconds);
}

export function tick() {
  if (setting("sound")) beep(880, 0.03);
  if (setting("vibration")) navigator.vibrate?.(15);
}

export function ring() {
  if (setting("sound")) beep(660, 0.4);
  if (setting("vibration")) navigator.vibrate?.([80, 60, 80]);
}
