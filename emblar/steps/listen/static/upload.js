// Upload: dropped or chosen, checked before it is sent, with its progress; errors leave the form.
const megabytes = (bytes) => `${(bytes / 2 ** 20).toFixed(bytes < 2 ** 20 ? 2 : 0)} MB`;
const tell = (text) => {
  document.getElementById("message").textContent = text;
};

const chosen = (form) => {
  const file = form.querySelector("[type=file]").files[0];
  const line = form.querySelector("[data-chosen]");
  line.textContent = file ? `${file.name}, ${megabytes(file.size)}` : "Nothing chosen yet";
  return file;
};

const send = (form) => {
  const input = form.querySelector("[type=file]");
  const file = chosen(form);
  if (!file) return;
  if (file.size === 0) {
    tell("The file is empty. Choose the file again, or export it again.");
    return;
  }
  if (file.size > Number(input.dataset.largest)) {
    tell(
      `The file is ${megabytes(file.size)}; Emblar takes up to 200 MB. ` +
        "Cut out the part you want, or save it as FLAC.",
    );
    return;
  }
  const bar = form.querySelector("progress");
  const button = form.querySelector("[data-send]");
  const request = new XMLHttpRequest();
  tell("");
  bar.hidden = false;
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
    else tell(request.responseText);
  };
  request.onerror = () => {
    over();
    tell("The recording did not get through; nothing was kept. Check that Emblar is running and send it again.");
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
  if (form && event.target.type === "file") chosen(form);
});
for (const type of ["dragover", "dragleave", "drop"]) {
  document.addEventListener(type, (event) => {
    const drop = event.target.closest?.(".drop");
    if (!drop) return;
    event.preventDefault();
    drop.classList.toggle("over", type === "dragover");
    if (type === "drop") {
      const input = drop.querySelector("[type=file]");
      input.files = event.dataTransfer.files;
      input.dispatchEvent(new Event("change", { bubbles: true }));
    }
  });
}
