// Sound: one thing at a time, from decoded buffers, so that it starts at once and on the sample.
(() => {
  const LEAD_S = 0.012;
  const FADE_S = 0.015;
  const EVEN_RMS = 0.12;
  let context = null;
  let playing = [];
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

  // pieces: [[start, seconds], …] of one sound, played one after the other.
  const play = async (href, pieces, { even = false } = {}) => {
    stop();
    const buffer = await load(href);
    await audio().resume();
    let at = audio().currentTime + 0.02;
    for (const [from, seconds] of pieces) {
      const start = Math.max(from - LEAD_S, 0);
      const source = new AudioBufferSourceNode(audio(), { buffer });
      const level = even ? Math.min(EVEN_RMS / Math.max(rms(buffer, from, 0.3), 1e-4), 6) : 1;
      const gain = new GainNode(audio(), { gain: level });
      gain.gain.setValueAtTime(level, at + seconds - FADE_S);
      gain.gain.linearRampToValueAtTime(0, at + seconds);
      source.connect(gain).connect(audio().destination);
      source.start(at, start, seconds);
      playing.push(source);
      at += seconds;
    }
    document.documentElement.dataset.playing = String(pieces[0][0]);
    document.dispatchEvent(new CustomEvent("emblar:play", { detail: { pieces } }));
    playing.at(-1).onended = stop;
  };

  const say = (error) => {
    document.getElementById("message").textContent = `This cannot be played here: ${error.message}.`;
  };

  let turn = 0;
  document.addEventListener("click", (event) => {
    const swap = event.target.closest("[data-swap]");
    if (!swap) return;
    const record = turn % 2 === 0 && swap.dataset.record;
    turn += 1;
    swap.querySelector("[data-swap-says]").textContent = record ? "Playing record" : "Playing plan";
    const pieces = record ? [swap.dataset.record.split(",").map(Number)] : [[0, 1.2]];
    play(record ? swap.dataset.audio : swap.dataset.plan, pieces, { even: true }).catch(say);
  });

  window.emblarPlayer = { play, stop, load, say, running: () => context?.state === "running" };
})();
