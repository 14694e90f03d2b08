// What sounds on the flight deck is heard: a tone for as long as anything that sounds is lit.
const TONE_HERTZ = 480;
const LOUDNESS = 0.08;

export class Horn {
  constructor(root) {
    this.root = root;
    this.sounding = new Set();
    this.audio = null;
    this.tone = null;
  }

  set(name, on) {
    if (on) this.sounding.add(name);
    else this.sounding.delete(name);
    // Told in the page as well, for those who hear nothing.
    this.root.dataset.sounding = [...this.sounding].join(" ");
    if (this.sounding.size > 0 && !this.tone) this.begin();
    if (this.sounding.size === 0 && this.tone) this.end();
  }

  begin() {
    // A browser lets a page sound only after its user has touched it; whoever holds a test has.
    this.audio ??= new AudioContext();
    this.audio.resume();
    const loudness = this.audio.createGain();
    loudness.gain.value = LOUDNESS;
    this.tone = this.audio.createOscillator();
    this.tone.type = "square";
    this.tone.frequency.value = TONE_HERTZ;
    this.tone.connect(loudness).connect(this.audio.destination);
    this.tone.start();
  }

  end() {
    this.tone.stop();
    this.tone = null;
  }
}
