// Sound: one thing at a time, from decoded buffers, so that it starts at once and on the sample.
const LEAD_S = 0.012;
const FADE_S = 0.015;
const EVEN_RMS = 0.12;
let context = null;
let playing = [];
let looping = false;
const buffers = new Map();

const audio = () => (context ??= new AudioContext());

const load = (href) => {
  if (!buffers.has(href)) {
    buffers.set(
      href,
      fetch(href)
        .then((response) => {
          if (!response.ok) throw new Error(`sound ${response.status}`);
          return response.arrayBuffer();
        })
        .then((bytes) => audio().decodeAudioData(bytes)),
    );
  }
  return buffers.get(href);
};

const stop = () => {
  playing.forEach((source) => {
    source.onended = null;
    source.stop();
  });
  playing = [];
  delete document.documentElement.dataset.playing;
};

// How loud a piece is, for fair comparison of two sounds.
const rms = (buffer, start, seconds) => {
  const first = Math.floor(start * buffer.sampleRate);
  const data = buffer.getChannelData(0).subarray(first, first + Math.floor(seconds * buffer.sampleRate));
  return Math.sqrt(data.reduce((sum, value) => sum + value * value, 0) / Math.max(data.length, 1));
};

// One buffer of all pieces, one after the other, so that it loops without a gap.
const joined = (buffer, pieces, even) => {
  const rate = buffer.sampleRate;
  const sizes = pieces.map(([start, seconds]) => Math.floor(Math.min(seconds, buffer.duration - start) * rate));
  const total = Math.max(sizes.reduce((sum, size) => sum + size, 0), 1);
  const out = new AudioBuffer({ length: total, numberOfChannels: buffer.numberOfChannels, sampleRate: rate });
  const fade = Math.floor(FADE_S * rate);
  for (let channel = 0; channel < buffer.numberOfChannels; channel += 1) {
    const from = buffer.getChannelData(channel);
    const to = out.getChannelData(channel);
    let at = 0;
    pieces.forEach(([start], index) => {
      const first = Math.floor(Math.max(start - LEAD_S, 0) * rate);
      const level = even ? Math.min(EVEN_RMS / Math.max(rms(buffer, start, 0.3), 1e-4), 6) : 1;
      for (let n = 0; n < sizes[index]; n += 1) {
        to[at + n] = (from[first + n] ?? 0) * level * Math.min(1, (sizes[index] - n) / fade);
      }
      at += sizes[index];
    });
  }
  return out;
};

// pieces: [[start, seconds], …] of one sound, played one after the other.
const play = async (href, pieces, { even = false } = {}) => {
  stop();
  const buffer = await load(href);
  await audio().resume();
  const source = new AudioBufferSourceNode(audio(), { buffer: joined(buffer, pieces, even), loop: looping });
  source.connect(audio().destination);
  source.start();
  source.onended = stop;
  playing.push(source);
  document.documentElement.dataset.playing = String(pieces[0][0]);
  document.dispatchEvent(new CustomEvent("emblar:play", { detail: { pieces } }));
};

// What plays goes on to its end when looping is switched off.
const loop = (on) => {
  looping = on;
  playing.forEach((source) => {
    source.loop = on;
  });
  document.querySelectorAll("[data-loop]").forEach((button) => button.setAttribute("aria-pressed", String(on)));
};
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-loop]")) loop(!looping);
  if (event.target.closest("[data-stop]")) stop();
});

const say = (error) => {
  document.getElementById("message").textContent = `This cannot be played here: ${error.message}.`;
};

let turn = 0;
document.addEventListener("click", (event) => {
  const hear = event.target.closest("[data-hear]");
  if (hear) play(hear.dataset.hear, [[0, Infinity]]).catch(say);
  const swap = event.target.closest("[data-swap]");
  if (!swap) return;
  const record = turn % 2 === 0 && swap.dataset.record;
  turn += 1;
  swap.querySelector("[data-swap-says]").textContent = record ? "Playing record" : "Playing plan";
  const pieces = record ? [swap.dataset.record.split(",").map(Number)] : [[0, 1.2]];
  play(record ? swap.dataset.audio : swap.dataset.plan, pieces, { even: true }).catch(say);
});

const isLooping = () => looping;
const isRunning = () => context?.state === "running";
export { isLooping, isRunning, load, loop, play, say, stop };
