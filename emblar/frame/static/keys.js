// Keys: an element with data-key is clicked by that key; data-says is its line in the help.
(() => {
  const names = { " ": "space", ArrowLeft: "←", ArrowRight: "→", ArrowUp: "↑", ArrowDown: "↓" };
  const typing = (target) =>
    target.matches("input:not([type=radio]):not([type=checkbox]), textarea, select, [contenteditable]");

  const help = () => {
    const dialog = document.getElementById("help");
    const list = document.getElementById("help-keys");
    list.replaceChildren();
    const extra = [["[ ]", "Drum before, next drum"]];
    const rows = [...document.querySelectorAll("[data-key][data-says]")].map((element) => [
      names[element.dataset.key] ?? element.dataset.key,
      element.dataset.says,
    ]);
    for (const [key, says] of document.querySelector("[data-strip]") ? rows.concat(extra) : rows) {
      const row = document.createElement("div");
      const term = document.createElement("dt");
      const text = document.createElement("dd");
      term.textContent = key;
      text.textContent = says;
      row.append(term, text);
      list.append(row);
    }
    dialog.showModal();
  };

  const step = (by) => {
    const drums = [...document.querySelectorAll("[data-strip]")];
    const at = drums.findIndex((drum) => drum.getAttribute("aria-current"));
    const next = drums[(at + by + drums.length) % drums.length];
    if (next) window.location.assign(next.getAttribute("href"));
  };

  const press = (key) => {
    if (key === "[" || key === "]") {
      step(key === "]" ? 1 : -1);
      return false;
    }
    const own = (one) => document.querySelector(`[data-key="${CSS.escape(one)}"]`);
    // A capital letter is its small one with Shift, as a click with Shift is.
    const element = own(key) ?? (/^[A-Z]$/.test(key) ? own(key.toLowerCase()) : null);
    const shiftKey = Boolean(element) && element.dataset.key !== key;
    const how = { bubbles: true, cancelable: true, view: window, shiftKey };
    element?.dispatchEvent(new MouseEvent("click", how));
    return Boolean(element);
  };

  // A key pressed while the page is still coming waits until all of it, and every script, is there.
  let early = [];
  const pressed = () => {
    const keys = early;
    early = null;
    keys.forEach(press);
  };
  document.addEventListener("DOMContentLoaded", () => {
    setTimeout(pressed);
    // On a narrow screen the steps scroll: the one shown is in sight.
    const nav = document.querySelector(".steps");
    const here = nav?.querySelector("[aria-current]");
    if (here) nav.scrollLeft = here.offsetLeft - nav.offsetLeft - (nav.clientWidth - here.clientWidth) / 2;
  });

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
    if (document.querySelector("dialog[open]")) return;
    // A focused button or link keeps its own Enter and space.
    if (event.target.matches("button, a, summary") && ["Enter", " "].includes(event.key)) return;
    if (early) early.push(event.key);
    else if (press(event.key)) event.preventDefault();
  });

  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-help]")) help();
    if (event.target.closest("[data-print]")) window.print();
    const copy = event.target.closest("[data-copy]");
    if (copy) navigator.clipboard.writeText(copy.dataset.copy).then(() => (copy.textContent = "Copied"));
  });

  // A form sent on another field's change goes without what is still being typed.
  document.addEventListener("htmx:configRequest", (event) => {
    const field = document.activeElement;
    const cause = event.detail.triggeringEvent?.target;
    if (field === cause || cause?.tagName === "FORM" || !event.detail.elt.contains(field)) return;
    if (field.matches("input[name]:not([type=radio]):not([type=checkbox])"))
      event.detail.parameters[field.name] = field.defaultValue;
  });

  // What is being typed survives the answer to the change before.
  let typed = null;
  document.addEventListener("htmx:beforeSwap", () => {
    const field = document.activeElement;
    typed = field?.matches("input[name]:not([type=radio]):not([type=checkbox])")
      ? { name: field.name, value: field.value, kept: field.defaultValue }
      : null;
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (!typed || typed.value === typed.kept) return;
    const field = document.querySelector(`input[name="${CSS.escape(typed.name)}"]:not([type=hidden])`);
    const value = typed.value;
    typed = null;
    if (!field || field.value === value) return;
    field.value = value;
    field.focus();
    // A value put in by a script sends nothing by itself when the field is left.
    const send = () => field.dispatchEvent(new Event("change", { bubbles: true }));
    field.addEventListener("blur", send, { once: true });
    field.addEventListener("change", () => field.removeEventListener("blur", send), { once: true });
  });

  // What is unfolded stays unfolded, on the next page too.
  const remember = (name, open) => {
    const kept = document.cookie.match(/(?:^|; )folds=([^;]*)/)?.[1] ?? "";
    const folds = new Set(kept.split(".").filter(Boolean));
    folds[open ? "add" : "delete"](name);
    document.cookie = `folds=${[...folds].join(".")}; path=/; max-age=31536000; samesite=lax`;
  };
  // The toggle event comes too late for somebody who leaves the page at once.
  document.addEventListener("click", (event) => {
    const fold = event.target.closest("summary")?.parentElement;
    if (fold?.dataset.fold && !event.defaultPrevented) remember(fold.dataset.fold, !fold.open);
  });

  document.addEventListener("click", (event) => {
    const name = event.target.closest("[data-dismiss]")?.dataset.dismiss;
    if (!name) return;
    remember(name, true);
    event.target.closest("[data-dismissable]").remove();
  });

  // A menu closes at Escape, and at a click anywhere else.
  const closeMenus = (but) =>
    document.querySelectorAll(".menu-fold[open]").forEach((menu) => {
      if (menu !== but) menu.removeAttribute("open");
    });
  document.addEventListener("click", (event) => closeMenus(event.target.closest(".menu-fold")));
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape") closeMenus(null);
  });

  document.addEventListener("htmx:beforeRequest", () => document.getElementById("message").replaceChildren());
})();
