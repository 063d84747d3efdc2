// Files: dropped or chosen, checked before they are sent, with progress; errors leave the form.
import { show } from "/static/forms.js";
import { LOST } from "/static/sending.js";

const megabytes = (bytes) => `${(bytes / 2 ** 20).toFixed(bytes < 2 ** 20 ? 2 : 0)} MB`;
const tell = (text) => {
  document.getElementById("message").textContent = text;
};

const chosen = (form) => {
  const file = form.querySelector("[type=file]").files[0];
  const line = form.querySelector("[data-chosen]");
  line.dataset.usual ??= line.textContent;
  line.textContent = file ? `${file.name}, ${megabytes(file.size)}` : line.dataset.usual;
  return file;
};

const send = (form) => {
  const input = form.querySelector("[type=file]");
  const file = chosen(form);
  if (!file && input.required) return;
  if (file?.size === 0) {
    tell("The file is empty. Choose the file again, or export it again.");
    return;
  }
  if (file && file.size > Number(input.dataset.largest)) {
    tell(
      `The file is ${megabytes(file.size)}; Emblar takes up to 200 MB. ` +
        "Cut out the part you want, or save it as FLAC.",
    );
    return;
  }
  const bar = form.querySelector("progress");
  const button = form.querySelector("[data-send]");
  const field = () => request.getResponseHeader("Emblar-Field");
  const request = new XMLHttpRequest();
  tell("");
  bar.hidden = !file;
  button.setAttribute("aria-busy", "true");
  button.disabled = true;
  const over = () => {
    bar.hidden = true;
    button.disabled = false;
    button.removeAttribute("aria-busy");
  };
  request.upload.onprogress = (event) => {
    bar.value = event.loaded / event.total;
  };
  request.onload = () => {
    over();
    if (request.status < 400) window.location.assign(request.responseURL);
    else if (field() && field() !== input.name) show(form, field(), request.responseText);
    else tell(request.responseText);
  };
  request.onerror = () => {
    over();
    tell(file ? "The recording did not get through; nothing was kept. Check that Emblar is running and send it again." : LOST);
  };
  request.open("POST", form.action);
  request.setRequestHeader("HX-Request", "true");
  request.send(new FormData(form));
};

document.addEventListener("submit", (event) => {
  if (!event.target.matches("[data-upload]")) return;
  event.preventDefault();
  send(event.target);
});
document.addEventListener("change", (event) => {
  const form = event.target.closest("[data-upload]");
  if (!form || event.target.type !== "file") return;
  if (chosen(form) && "atOnce" in form.dataset) form.requestSubmit();
});

// A file dropped anywhere goes where this page takes such files; else a recording starts a session.
const SOUND = /\.(wav|wave|flac|ogg|oga|mp3|aif|aiff|aifc)$/i;
const holdsFiles = (event) => event.dataTransfer?.types.includes("Files");
const takes = (input, file) => {
  const accepted = input.accept.split(",").map((kind) => kind.trim().toLowerCase());
  return accepted.some((kind) =>
    kind.startsWith(".")
      ? file.name.toLowerCase().endsWith(kind)
      : kind.endsWith("/*")
        ? file.type.startsWith(kind.slice(0, -1))
        : file.type === kind,
  );
};

const startSession = async (file) => {
  const form = new FormData();
  form.append("file", file);
  form.append("kit", "usual");
  tell(`Sending ${file.name} …`);
  try {
    const answer = await fetch("/sessions", { method: "POST", body: form, headers: { "HX-Request": "true" } });
    if (answer.ok) window.location.assign(answer.url);
    else tell(await answer.text());
  } catch {
    tell(LOST);
  }
};

const over = (event) => {
  if (!holdsFiles(event)) return;
  event.preventDefault();
  document.body.classList.toggle("dropping", event.type === "dragover");
};
document.addEventListener("dragover", over);
document.addEventListener("dragleave", over);
document.addEventListener("drop", (event) => {
  if (!holdsFiles(event)) return;
  over(event);
  const [file] = event.dataTransfer.files;
  if (!file) return;
  const inputs = [...document.querySelectorAll("[type=file]")].filter((input) => takes(input, file));
  const input = event.target.closest("form")?.querySelector("[type=file]") ?? inputs[0];
  if (input) {
    const given = new DataTransfer();
    [...event.dataTransfer.files].slice(0, input.multiple ? undefined : 1).forEach((one) => given.items.add(one));
    input.files = given.files;
    input.closest("details")?.setAttribute("open", "");
    input.dispatchEvent(new Event("change", { bubbles: true }));
  } else if (SOUND.test(file.name) && document.querySelector("[data-places]")) {
    startSession(file);
  } else {
    tell(`${file.name} cannot be used on this page. Drop a record in Listen, a take in Match.`);
  }
});
