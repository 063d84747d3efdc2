// Match: record and take on one key, swapped without a gap; takes from the microphone.
import * as player from "/static/player.js";
import { sendUntilAnswered } from "/static/sending.js";
import { wav } from "/static/wav.js";

const LONGEST_S = 30;
let pair = null;
let taking = null;

const showStatus = (text) => {
  const line = document.querySelector("[data-heard]");
  if (line) line.textContent = text;
};

// Both sounds run together from the start; the key only opens one and closes the other.
const startPair = async (button) => {
  player.stop();
  const buffers = await Promise.all([player.load(button.dataset.record), player.load(button.dataset.takeSound)]);
  const context = new AudioContext();
  const gains = buffers.map((buffer, i) => {
    const source = new AudioBufferSourceNode(context, { buffer, loop: true });
    const gain = new GainNode(context, { gain: i === 0 ? 1 : 0 });
    source.connect(gain).connect(context.destination);
    source.start(context.currentTime + 0.02);
    return gain;
  });
  pair = { button, context, gains, at: 0 };
  show();
};

const stopPair = () => {
  if (!pair) return;
  pair.context.close();
  pair.button.querySelector("[data-pair-says]").textContent = pair.button.dataset.usual;
  pair = null;
};

const show = () => {
  const label = pair.button.querySelector("[data-pair-says]");
  pair.button.dataset.usual ??= label.textContent;
  const { first = "record", second = "take" } = pair.button.dataset;
  label.textContent = `Playing ${pair.at === 0 ? first : second}`;
  document.documentElement.dataset.playing = pair.at === 0 ? "record" : "take";
};

const swap = () => {
  pair.at = 1 - pair.at;
  pair.gains.forEach((gain, i) => gain.gain.setTargetAtTime(i === pair.at ? 1 : 0, pair.context.currentTime, 0.004));
  show();
};

// Every take in order, each loudness-matched to the record, its card marked while it plays.
let all = null;
const stopAll = () => {
  if (!all) return;
  all.timers.forEach(clearTimeout);
  all.context.close();
  document.querySelectorAll(".journey-card.playing").forEach((card) => card.classList.remove("playing"));
  document.querySelector("[data-play-all-says]").textContent = "Play all";
  all = null;
};
const playAll = async () => {
  const cards = [...document.querySelectorAll(".journey-card")];
  const buffers = await Promise.all(cards.map((card) => player.load(card.querySelector("[data-hear]").dataset.hear)));
  player.stop();
  stopPair();
  const context = new AudioContext();
  all = { context, timers: [] };
  document.querySelector("[data-play-all-says]").textContent = "Stop";
  let at = 0.05;
  buffers.forEach((buffer, i) => {
    const source = new AudioBufferSourceNode(context, { buffer });
    source.connect(context.destination);
    source.start(context.currentTime + at);
    all.timers.push(
      setTimeout(() => cards.forEach((card, n) => card.classList.toggle("playing", n === i)), 1000 * at),
    );
    at += buffer.duration;
  });
  all.timers.push(setTimeout(stopAll, 1000 * at));
};

const record = async () => {
  const stream = await navigator.mediaDevices.getUserMedia({
    audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false },
  });
  const context = new AudioContext();
  await context.audioWorklet.addModule("/static/match/recorder.js");
  const node = new AudioWorkletNode(context, "take-recorder", { numberOfOutputs: 0 });
  const blocks = [];
  node.port.onmessage = ({ data }) => blocks.push(data);
  context.createMediaStreamSource(stream).connect(node);
  taking = { stream, context, blocks, rate: context.sampleRate, until: setTimeout(() => finish(), LONGEST_S * 1000) };
  document.querySelector("[data-take-says]").textContent = "Recording: stop";
  showStatus(document.querySelector("[data-match]").dataset.how ?? "Recording. A few strokes, soft to loud, then n again.");
};

const finish = async () => {
  const { stream, context, blocks, rate, until } = taking;
  clearTimeout(until);
  stream.getTracks().forEach((track) => track.stop());
  await context.close();
  taking = null;
  document.querySelector("[data-take-says]").textContent = document.querySelector("[data-match]").dataset.usual ?? "Record a take";
  const form = new FormData();
  form.append("file", wav(blocks, rate), "take.wav");
  showStatus("Listening to it …");
  const base = document.querySelector("[data-match]").dataset.match;
  const answer = await sendUntilAnswered(`${base}/take`, form, { "HX-Request": "true" }, () =>
    showStatus("Not sent yet: the server does not answer. The take is kept and sent again."),
  );
  if (answer.ok) window.location.assign(answer.url);
  else showStatus(await answer.text());
};

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-pair]");
  if (button) {
    stopAll();
    if (pair?.button === button) swap();
    else {
      stopPair();
      startPair(button).catch(player.say);
    }
    return;
  }
  if (event.target.closest("[data-hear], [data-stop]")) stopAll();
  if (event.target.closest("[data-play-all]")) {
    if (all) stopAll();
    else playAll().catch(player.say);
    return;
  }
  if (event.target.closest("[data-hear], [data-stop]")) stopPair();
  if (event.target.closest("[data-take]")) {
    stopPair();
    (taking ? finish() : record()).catch((error) => showStatus(`No microphone: ${error.message}. Upload a take as a file.`));
  }
});
document.addEventListener("keydown", (event) => {
  if (event.key === "s" && !event.target.matches("input, textarea, select")) stopPair();
});
// What is compared is there when the key is pressed.
document.querySelectorAll("[data-pair][data-key='x']").forEach((button) => {
  player.load(button.dataset.record).catch(() => {});
  player.load(button.dataset.takeSound).catch(() => {});
});
