// Listen: the waveform on its canvas, strokes chosen and heard.
(() => {
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
    window.emblarPlayer.load(part().dataset.audio).catch(() => {});
  };

  const strokes = () => {
    const selected = document.querySelector(".lane-label.selected")?.textContent.replace(" ", "-");
    return [...document.querySelectorAll(`[data-hit][data-voice="${selected}"]`)];
  };

  const choose = (stroke) => {
    document.querySelector(".stroke.chosen")?.classList.remove("chosen");
    stroke?.classList.add("chosen");
    const row = document.querySelector("[data-stroke-line]");
    if (!row || !stroke) return;
    row.hidden = false;
    row.querySelector("[data-stroke-says]").textContent = stroke.querySelector("title").textContent.split(",")[0];
    // A stroke is told by when it is and on which drum it was seen: places in a list change.
    row.querySelectorAll("[name=at]").forEach((input) => {
      input.value = stroke.dataset.at;
    });
    row.querySelectorAll("[name=seen]").forEach((input) => {
      input.value = stroke.dataset.voice;
    });
    row.querySelector("[name=voice]").value = stroke.dataset.voice;
  };

  // Lanes from top to bottom as voices, by the labels beside them.
  const laneVoices = () =>
    [...document.querySelectorAll(".lane-label")].map((label) => label.textContent.replace(" ", "-"));

  const moveTo = (stroke, voice) => {
    if (!stroke || !voice || voice === stroke.dataset.voice) return;
    choose(stroke);
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
    const box = document.querySelector(".lanes-frame svg")?.getBoundingClientRect();
    if (!stroke || !box || event.target.closest("[data-hit]") === stroke) return;
    const tall = (box.width / Number(frame().dataset.width)) * Number(frame().dataset.lane);
    moveTo(stroke, laneVoices()[Math.floor((event.clientY - box.top) / tall)]);
  });

  const hear = (stroke) => {
    if (!stroke) return;
    choose(stroke);
    window.emblarPlayer
      .play(part().dataset.audio, [[Number(stroke.dataset.at), HIT_S]])
      .catch(window.emblarPlayer.say);
  };

  document.addEventListener("click", (event) => {
    const stroke = event.target.closest("[data-hit]");
    const list = event.target.closest("[data-play-list]");
    const step = event.target.closest("[data-hit-step]");
    if (stroke) hear(stroke);
    if (list && list.dataset.playList) {
      const pieces = list.dataset.playList.split(";").map((piece) => piece.split(",").map(Number));
      window.emblarPlayer.play(part().dataset.audio, pieces).catch(window.emblarPlayer.say);
    }
    if (step) {
      const all = strokes();
      const at = all.findIndex((one) => one.classList.contains("chosen"));
      const next = at < 0 ? 0 : at + Number(step.dataset.hitStep);
      choose(all[Math.min(Math.max(next, 0), all.length - 1)]);
    }
    const lane = event.target.closest("[data-lane]:not(.lanes-frame)");
    if (lane) {
      const chosen = document.querySelector(".stroke.chosen");
      const voices = laneVoices();
      if (chosen) moveTo(chosen, voices[voices.indexOf(chosen.dataset.voice) + Number(lane.dataset.lane)]);
    }
    const whole = event.target.closest("[data-play-part]");
    if (whole) {
      const { from, to } = frame().dataset;
      window.emblarPlayer
        .play(whole.dataset.playPart, [[Number(from), to - from]])
        .catch(window.emblarPlayer.say);
    }
    if (event.target.closest("[data-hit-play]")) {
      hear(document.querySelector(".stroke.chosen") ?? strokes()[0]);
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
      const into = window.emblarPlayer.looping() ? seconds % whole : seconds;
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
    if (event.target.querySelector?.(".waveform") || event.target.id === "window") draw();
  });
  window.addEventListener("resize", draw);
})();
