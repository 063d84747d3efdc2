// Forms: an error stands at its field and the form stays as it was; nothing is sent twice.
import { LOST } from "/static/sending.js";

const clear = (form) => {
  form.querySelectorAll(".field-error").forEach((line) => line.remove());
  form.querySelectorAll("[aria-invalid]").forEach((field) => {
    field.removeAttribute("aria-invalid");
    field.removeAttribute("aria-describedby");
  });
};

export const show = (form, name, text) => {
  clear(form);
  const field = name ? form.querySelector(`[name="${CSS.escape(name)}"]:not([type=hidden])`) : null;
  const line = document.createElement("p");
  line.className = "field-error";
  line.id = "field-error";
  line.setAttribute("role", "alert");
  line.textContent = text;
  if (!field) {
    form.append(line);
    line.scrollIntoView({ block: "nearest" });
    return;
  }
  field.closest("details")?.setAttribute("open", "");
  field.setAttribute("aria-invalid", "true");
  field.setAttribute("aria-describedby", line.id);
  (field.closest(".field, fieldset") ?? field.parentElement).append(line);
  field.focus();
};

const busy = (form, on) => {
  form.dataset.sending = on ? "yes" : "";
  form.querySelectorAll("button:not([type=button])").forEach((button) => {
    button.toggleAttribute("aria-busy", on);
  });
};

const send = async (form, submitter) => {
  if (form.dataset.sending === "yes") return;
  busy(form, true);
  const data = new FormData(form, submitter);
  const files = [...data.values()].some((value) => value instanceof File);
  try {
    const response = await fetch(submitter?.getAttribute("formaction") ?? form.action, {
      method: "POST",
      body: files ? data : new URLSearchParams(data),
      headers: { "HX-Request": "true" },
    });
    if (response.redirected) return window.location.assign(response.url);
    const text = await response.text();
    if (response.ok) {
      document.open();
      document.write(text);
      document.close();
      return;
    }
    busy(form, false);
    show(form, response.headers.get("Emblar-Field"), text);
  } catch {
    busy(form, false);
    show(form, "", LOST);
  }
};

document.addEventListener("submit", (event) => {
  const form = event.target;
  if (event.defaultPrevented || form.method !== "post" || form.matches("[data-upload], [hx-post]")) return;
  if (event.submitter?.hasAttribute("hx-post")) return;
  event.preventDefault();
  send(form, event.submitter);
});

// Forms that change a part of the page only: the same, by the way they are sent.
document.addEventListener("htmx:beforeRequest", (event) => {
  const form = event.target.closest("form");
  if (form) clear(form);
});
document.addEventListener("htmx:beforeSwap", (event) => {
  const { xhr } = event.detail;
  const form = event.detail.requestConfig?.elt?.closest?.("form");
  if (xhr.status < 400 || !form || !xhr.getResponseHeader("Emblar-Field")) return;
  event.detail.shouldSwap = false;
  show(form, xhr.getResponseHeader("Emblar-Field"), xhr.responseText);
});
document.addEventListener("htmx:sendError", (event) => {
  const form = event.target.closest("form");
  if (form) show(form, "", LOST);
  else document.getElementById("message").textContent = LOST;
});
window.addEventListener("pageshow", () => {
  document.querySelectorAll("form[data-sending]").forEach((form) => busy(form, false));
});

// A file is sent as soon as it is chosen, also one that was chosen before this was loaded.
const atOnce = (input) => {
  if (input.matches("[data-send-at-once]") && input.files.length) input.form.requestSubmit();
};
document.addEventListener("change", (event) => atOnce(event.target));
document.querySelectorAll("[data-send-at-once]").forEach(atOnce);
