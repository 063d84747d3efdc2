// Practice: tapping beside a rod plays it; with numbers on, the page then shows what was read.
import * as player from "/static/player.js";
import { LOST } from "/static/sending.js";

const place = document.querySelector("[data-practice]");
const { practice: base } = place.dataset;
const count = place.querySelectorAll(".draw-rods .rod").length;

const choose = (rod) => {
  place.dataset.rod = String(rod);
  place.querySelectorAll("[data-rod-field]").forEach((field) => {
    field.value = String(rod);
  });
  place.querySelector(".bench-big").textContent = `Rod ${rod + 1}`;
  place.querySelectorAll(".draw-rods .rod").forEach((dot, i) => {
    dot.classList.toggle("next", i === rod);
    dot.setAttribute("r", i === rod ? "8.5" : "4");
  });
};

const tap = async () => {
  const form = new FormData();
  form.append("rod", place.dataset.rod);
  const answer = await fetch(`${base}/tap.wav`, { method: "POST", body: form }).catch(() => null);
  if (!answer) {
    place.querySelector("[data-heard]").textContent = LOST;
    return;
  }
  if (!answer.ok) {
    place.querySelector("[data-heard]").textContent = await answer.text();
    return;
  }
  const href = URL.createObjectURL(await answer.blob());
  await player.play(href, [[0, Infinity]]).catch(player.say);
  if (place.dataset.numbers) setTimeout(() => window.location.reload(), 900);
};

place.addEventListener("click", (event) => {
  if (event.target.closest("[data-tap]")) tap();
  const step = event.target.closest("[data-rod-step]");
  if (step) choose((Number(place.dataset.rod) + Number(step.dataset.rodStep) + count) % count);
});
