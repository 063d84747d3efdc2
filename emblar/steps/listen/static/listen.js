// Listen: the waveform on its canvas, strokes chosen and heard.
import * as player from "/static/player.js";

const HIT_S = 0.6;
const frame = () => document.querySelector(".lanes-frame");
const part = () => document.getElementById("window");

const draw = async () => {
  const canvas = document.querySelector(".waveform");
  if (!canvas) return;
  const { from, to, left, right, width } = frame().dataset;
  const response = await fetch(`${part().dataset.waveform}?start=${from}&stop=${to}`);
  const { low, high } = await response.json();
  const scale = window.devicePixelRatio || 1;
  canvas.width = canvas.clientWidth * scale;
  canvas.height = canvas.clientHeight * scale;
  const pen = canvas.getContext("2d");
  // The lanes below are drawn in units of their own width; keep both in step.
  const unit = canvas.width / Number(width);
  const middle = canvas.height / 2;
  const most = high.concat(low).reduce((found, value) => Math.max(found, Math.abs(value)), 1e-6);
  pen.fillStyle = getComputedStyle(canvas).color;
  const step = ((right - left) * unit) / low.length;
  low.forEach((value, index) => {
    const top = middle - (high[index] / most) * middle * 0.96;
    const bottom = middle - (value / most) * middle * 0.96;
    pen.fillRect(left * unit + index * step, top, Math.max(step, 1), Math.max(bottom - top, 1));
  });
  canvas.dataset.drawn = String(low.length);
  player.load(part().dataset.audio).catch(() => {});
};

const selectedVoice = () =>
  document.querySelector(".lane-label.selected")?.textContent.replace(" ", "-");
const strokes = () => [...document.querySelectorAll(`[data-hit][data-voice="${selectedVoice()}"]`)];
const chosen = () => [...document.querySelectorAll(".stroke.chosen")];
const timeOf = (stroke) => Number(stroke.dataset.at);
// What is chosen outlives a swap: strokes are known by when they are.
let kept = [];
// Where the last one was, so that the next is found also after it was removed.
let lastAt;

const tell = () => {
  const row = document.querySelector(".stroke-line[data-stroke-line]");
  const all = chosen();
  kept = all.map(({ dataset }) => [dataset.at, dataset.voice]);
  if (all.length) lastAt = timeOf(all.at(-1));
  if (!row) return;
  row.hidden = all.length === 0;
  if (all.length === 0) return;
  row.querySelector("[data-stroke-says]").textContent =
    all.length === 1 ? all[0].querySelector("title").textContent.split(",")[0] : `${all.length} strokes`;
  // A stroke is told by when it is and on which drum it was seen: places in a list change.
  row.querySelectorAll("[name=chosen]").forEach((input) => {
    input.value = all.map((stroke) => `${stroke.dataset.at}@${stroke.dataset.voice}`).join(",");
  });
  row.querySelector("[name=voice]").value = all.at(-1).dataset.voice;
};

const choose = (stroke, more = false) => {
  if (!more) chosen().forEach((one) => one.classList.remove("chosen"));
  stroke?.classList.toggle("chosen", !(more && stroke.classList.contains("chosen")));
  addAt(null);
  tell();
};

const chooseAgain = () => {
  kept.forEach(([at, voice]) =>
    document.querySelector(`[data-hit][data-at="${at}"][data-voice="${voice}"]`)?.classList.add("chosen"),
  );
  tell();
};

document.addEventListener("submit", (event) => {
  const voice = event.target.closest("[data-move]")?.querySelector("[name=voice]").value;
  if (voice) kept = kept.map(([at]) => [at, voice]);
});

// An empty place on a lane, where a stroke is to be added.
const addAt = (place) => {
  const form = document.querySelector("[data-add]");
  document.querySelector(".add-mark")?.remove();
  if (!form) return;
  form.hidden = !place;
  if (!place) return;
  form.querySelector("[data-add-says]").textContent = `${place.voice.replace("-", " ")} at ${place.time.toFixed(2)} s`;
  form.querySelector("[name=time_s]").value = place.time.toFixed(5);
  form.querySelector("[name=voice]").value = place.voice;
  const mark = document.createElementNS("http://www.w3.org/2000/svg", "line");
  mark.setAttribute("class", "add-mark");
  mark.setAttribute("x1", place.x);
  mark.setAttribute("x2", place.x);
  mark.setAttribute("y1", place.row * place.lane + 3);
  mark.setAttribute("y2", (place.row + 1) * place.lane - 2);
  document.querySelector(".lanes-frame svg").append(mark);
};

const placeAt = (event) => {
  const box = document.querySelector(".lanes-frame svg")?.getBoundingClientRect();
  if (!box) return null;
  const { from, to, left, right, width, lane } = frame().dataset;
  const unit = box.width / Number(width);
  const x = (event.clientX - box.left) / unit;
  const row = Math.floor((event.clientY - box.top) / unit / Number(lane));
  const voice = laneVoices()[row];
  if (!voice || x < Number(left) || x > Number(right)) return null;
  const time = Number(from) + ((x - left) / (right - left)) * (to - from);
  return { x, row, voice, time, lane: Number(lane) };
};

// Lanes from top to bottom as voices, by the labels beside them.
const laneVoices = () =>
  [...document.querySelectorAll(".lane-label")].map((label) => label.textContent.replace(" ", "-"));

const moveTo = (voice) => {
  if (!voice || chosen().every((stroke) => stroke.dataset.voice === voice)) return;
  const form = document.querySelector("[data-move]");
  form.querySelector("[name=voice]").value = voice;
  form.requestSubmit();
};

let dragged = null;
document.addEventListener("pointerdown", (event) => {
  dragged = event.target.closest("[data-hit]");
});
document.addEventListener("pointerup", (event) => {
  const stroke = dragged;
  dragged = null;
  const place = stroke && event.target.closest("[data-hit]") !== stroke && placeAt(event);
  if (!place || place.voice === stroke.dataset.voice) return;
  if (!stroke.classList.contains("chosen")) choose(stroke);
  moveTo(place.voice);
});

const hear = (stroke, more = false) => {
  if (!stroke) return;
  choose(stroke, more);
  if (more) return;
  player
    .play(part().dataset.audio, [[Number(stroke.dataset.at), HIT_S]])
    .catch(player.say);
};

document.addEventListener("click", (event) => {
  const stroke = event.target.closest("[data-hit]");
  const list = event.target.closest("[data-play-list]");
  const step = event.target.closest("[data-hit-step]");
  if (stroke) hear(stroke, event.shiftKey);
  else if (event.target.closest(".lanes-frame") && !event.target.closest("a")) {
    choose(null);
    addAt(placeAt(event));
  }
  if (list && list.dataset.playList) {
    const pieces = list.dataset.playList.split(";").map((piece) => piece.split(",").map(Number));
    player.play(part().dataset.audio, pieces).catch(player.say);
  }
  if (step) {
    const all = strokes();
    const way = Number(step.dataset.hitStep);
    const last = chosen().map(timeOf).sort((a, b) => a - b).at(way > 0 ? -1 : 0) ?? lastAt;
    const after = all.filter((one) => last === undefined || way * (timeOf(one) - last) > 1e-4);
    const open = chosen().length || after.length ? after : all;
    const next = way > 0 ? open[0] : open.at(-1);
    if (next) choose(next, event.shiftKey);
  }
  const lane = event.target.closest("[data-lane]:not(.lanes-frame)");
  if (lane && chosen().length) {
    const voices = laneVoices();
    moveTo(voices[voices.indexOf(chosen().at(-1).dataset.voice) + Number(lane.dataset.lane)]);
  }
  const whole = event.target.closest("[data-play-part]");
  if (whole) {
    const { from, to } = frame().dataset;
    player
      .play(whole.dataset.playPart, [[Number(from), to - from]])
      .catch(player.say);
  }
  if (event.target.closest("[data-hit-play]")) {
    hear(chosen()[0] ?? strokes()[0]);
  }
});

// The playhead runs over the pieces that sound.
document.addEventListener("emblar:play", ({ detail }) => {
  const head = document.querySelector("[data-playhead]");
  if (!head) return;
  const { from, to, left, right } = frame().dataset;
  const began = performance.now();
  const move = () => {
    const seconds = (performance.now() - began) / 1000;
    const whole = detail.pieces.reduce((sum, [, length]) => sum + length, 0);
    const into = player.isLooping() ? seconds % whole : seconds;
    let passed = 0;
    const piece = detail.pieces.find(([, length]) => (passed += length) > into);
    const inside = document.documentElement.dataset.playing !== undefined && piece;
    head.classList.toggle("on", Boolean(inside));
    if (!inside) return;
    const time = piece[0] + into - (passed - piece[1]);
    const x = Number(left) + ((time - from) / (to - from)) * (right - left);
    head.classList.toggle("on", x >= Number(left) && x <= Number(right));
    head.setAttribute("x1", x);
    head.setAttribute("x2", x);
    requestAnimationFrame(move);
  };
  move();
});

document.addEventListener("DOMContentLoaded", draw);
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.target.querySelector?.(".waveform") || event.target.id === "window") {
    draw();
    chooseAgain();
  }
});
window.addEventListener("resize", draw);
