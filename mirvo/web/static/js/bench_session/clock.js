/* How long the roots lie bare, and when to mist them. */

import { keep, keptText } from "../kept.js";

const SECOND = 1000;

const two = (number) => String(Math.floor(number)).padStart(2, "0");

/** 12:05 for minutes and seconds, 2 h 05 from an hour on. */
const said = (seconds) => (seconds < 3600 ? `${Math.floor(seconds / 60)}:${two(seconds % 60)}` : `${Math.floor(seconds / 3600)} h ${two((seconds % 3600) / 60)}`);

export class Clock {
  constructor(bar, lifted, covered) {
    this.parts = Object.fromEntries(["clock", "bare", "mist", "mist-said", "mist-every", "mute"].map((name) => [name, bar.querySelector(`[data-${name}]`)]));
    this.settings = bar.querySelectorAll("[data-mist-settings]");
    this.bar = bar;
    this.sound = null;
    this.every = this.parts["mist-every"];
    this.every.value = keptText("mirvo-mist-minutes") ?? this.every.value;
    this.parts.mute.checked = keptText("mirvo-mist-mute") === "yes";
    this.every.addEventListener("change", () => keep("mirvo-mist-minutes", this.every.value));
    this.parts.mute.addEventListener("change", () => keep("mirvo-mist-mute", this.parts.mute.checked ? "yes" : "no"));
    this.parts.mist.addEventListener("click", () => { this.misted = Date.now(); this.rung = false; this.tick(); });
    this.set(lifted, covered);
    setInterval(() => this.tick(), SECOND);
  }

  /** Moments as numbers, or null: roots are bare from lifted until covered. */
  set(lifted, covered) {
    this.lifted = lifted;
    this.covered = covered !== null && lifted !== null && covered >= lifted ? covered : null;
    this.misted = Math.max(this.misted ?? 0, lifted ?? 0);
    this.tick();
  }

  tick() {
    const { clock, bare, mist } = this.parts;
    const running = this.lifted !== null && this.covered === null;
    clock.hidden = this.lifted === null;
    mist.hidden = !running;
    for (const one of this.settings) one.hidden = !running;
    if (this.lifted === null) return;
    const now = this.covered ?? Date.now();
    bare.textContent = said((now - this.lifted) / SECOND);
    const left = this.misted + Number(this.every.value) * 60 * SECOND - Date.now();
    const due = running && left <= 0;
    this.bar.classList.toggle("mist-due", due);
    this.parts["mist-said"].textContent = due ? "Mist the roots now, then tap" : `Misted · next in ${said(Math.max(0, left) / SECOND)}`;
    if (due && !this.rung) this.#ring();
    this.rung = due;
  }

  #ring() {
    if (this.parts.mute.checked) return;
    try {
      this.sound ??= new AudioContext();
      const tone = this.sound.createOscillator();
      const loud = this.sound.createGain();
      tone.frequency.value = 660;
      loud.gain.setValueAtTime(0.25, this.sound.currentTime);
      loud.gain.exponentialRampToValueAtTime(0.001, this.sound.currentTime + 0.9);
      tone.connect(loud).connect(this.sound.destination);
      tone.start();
      tone.stop(this.sound.currentTime + 0.9);
    } catch {
      /* no sound here; the colour says it too */
    }
  }
}
