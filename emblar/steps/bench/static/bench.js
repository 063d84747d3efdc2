// Bench: the microphone, the next rod said aloud, the screen kept awake. One page, one entry.
import { sendUntilAnswered } from "/static/sending.js";
import { wav } from "/static/wav.js";

const BEFORE_S = 0.15;
const STROKE_S = 1.8;
let live = null;

const bench = () => document.querySelector("[data-bench]");
// On a sweep one stroke follows the other: the microphone stays on.
const goesOn = () => bench()?.hasAttribute("data-goes-on");
const showStatus = (text) => {
  const line = document.querySelector("[data-heard]");
  if (line) line.textContent = text;
};
const aloud = () => localStorage.getItem("emblar-aloud") === "yes";
const say = (text) => {
  if (!aloud() || !window.speechSynthesis) return;
  speechSynthesis.cancel();
  speechSynthesis.speak(new SpeechSynthesisUtterance(text));
};

// Taps since the head was last turned, the newest last: they are read together.
const TOGETHER = 5;
let round = { key: "", taps: [] };

// The page as it is after a reading; what listens goes on listening.
const refresh = async () => {
  const address = window.location.href.replace(/&(done|mark|tapped)=[^&]*/g, "");
  const tapped = round.key === bench()?.dataset.round ? round.taps.map((tap) => tap.rod).join(".") : "";
  await htmx.ajax("GET", address + (tapped && `&tapped=${tapped}`), {
    target: "#workspace",
    select: "#workspace",
    swap: "outerHTML",
  });
};

const send = (href, form) =>
  sendUntilAnswered(href, form, { accept: "application/json" }, () =>
    showStatus("Not sent yet: the server does not answer. The tap is kept and sent again."),
  );

const gotTap = async (samples, rate) => {
  const { base, side, rod, doing } = bench().dataset;
  if (doing === "strike" || doing === "wires") {
    if (live?.busy) return;
    if (!goesOn()) stop();
    await gotStroke(samples, rate);
    return;
  }
  if (doing !== "tap" || rod === "" || !live) return;
  if (live.busy) {
    // Whoever taps before the answer is there has gone on to the next rod.
    live.next = [samples, rate];
    return;
  }
  live.busy = true;
  try {
    await readTap(`${base}/tap`, side, rod, samples, rate);
  } finally {
    if (live) live.busy = false;
  }
  const next = live?.next;
  if (next) {
    live.next = null;
    await gotTap(...next);
  }
};

const readTap = async (href, side, rod, samples, rate) => {
  const from = performance.now();
  const key = bench().dataset.round;
  const others = round.key === key ? round.taps.filter((tap) => tap.rod !== rod) : [];
  round = { key, taps: [...others, { rod, clip: wav([samples], rate) }] };
  const form = new FormData();
  form.append("side", side);
  for (const tap of round.taps.slice(-TOGETHER)) {
    form.append("rod", tap.rod);
    form.append("file", tap.clip, "tap.wav");
  }
  const answer = await send(href, form);
  if (!answer.ok) {
    showStatus(await answer.text());
    return;
  }
  const result = await answer.json();
  showStatus(result.says);
  // From the tap itself to its pitch on the screen: what came after it was waited for, too.
  if (result.read) performance.measure("tap", { start: from - 1000 * Number(bench().dataset.span), end: performance.now() });
  await refresh();
  showStatus(result.says);
  say(document.querySelector("[data-big]")?.textContent ?? "");
  if (bench()?.dataset.doing !== "tap") stop();
};

const gotStroke = async (samples, rate) => {
  const form = new FormData();
  form.append("file", wav([samples], rate), "stroke.wav");
  showStatus("Reading the stroke …");
  if (live) live.busy = true;
  const { base, doing } = bench().dataset;
  const answer = await send(`${base}/${doing === "wires" ? "wires" : "stroke"}`, form);
  if (live) live.busy = false;
  if (!answer.ok) showStatus(await answer.text());
  else if (!goesOn()) window.location.assign(answer.url);
  else {
    await refresh();
    if (live) listening();
    say(document.querySelector("[data-big]")?.textContent ?? "");
  }
};

const stop = () => {
  live?.stream.getTracks().forEach((track) => track.stop());
  live?.context.close();
  live?.awake?.release();
  live = null;
  document.querySelectorAll("[data-listen-says]").forEach((label) => {
    label.textContent = label.dataset.usual ?? label.textContent;
  });
};

const start = async (button) => {
  if (!navigator.mediaDevices) {
    showStatus("This browser gives no microphone here. Use a recording of taps instead, or type the pitches.");
    return;
  }
  const stream = await navigator.mediaDevices.getUserMedia({
    audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false },
  });
  const context = new AudioContext();
  await context.audioWorklet.addModule("/static/bench/worklet.js");
  // A hum is listened for longer than the stroke itself.
  const after = button.dataset.listen === "stroke" ? STROKE_S : Number(bench().dataset.span);
  const catcher = new AudioWorkletNode(context, "tap-catcher", {
    processorOptions: { before: BEFORE_S, after },
    numberOfOutputs: 0,
  });
  context.createMediaStreamSource(stream).connect(catcher);
  live = { stream, context, busy: false, next: null };
  navigator.wakeLock?.request("screen").then(
    (awake) => {
      if (live) live.awake = awake;
    },
    () => {},
  );
  catcher.port.onmessage = ({ data }) => {
    if (data.tap) gotTap(data.tap, data.rate);
  };
  listening();
  say(document.querySelector("[data-big]")?.textContent ?? "");
};

const listening = () => {
  document.querySelectorAll("[data-listen-says]").forEach((label) => {
    label.dataset.usual ??= label.textContent;
    if (live) label.textContent = "Listening: stop";
  });
};

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-listen]");
  if (button) {
    if (live) stop();
    else start(button).catch((error) => showStatus(`No microphone: ${error.message}. Use a recording or type the pitches.`));
  }
  const voice = event.target.closest("[data-voice]");
  if (voice) {
    localStorage.setItem("emblar-aloud", aloud() ? "no" : "yes");
    voices();
  }
});
const voices = () =>
  document.querySelectorAll("[data-voice]").forEach((button) => {
    button.setAttribute("aria-pressed", String(aloud()));
    button.textContent = aloud() ? "Saying the next rod aloud: stop" : "Say the next rod aloud";
  });
document.addEventListener("htmx:afterSettle", () => {
  voices();
  listening();
});
voices();
