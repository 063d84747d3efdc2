// What was recorded is sent until the server has it: a lost connection loses nothing.
export const LOST =
  "That did not get through; nothing was changed. Check that Emblar is running and send it again.";

const stay = (event) => event.preventDefault();

export const sendUntilAnswered = async (href, form, headers, says) => {
  try {
    for (let tries = 0; ; tries += 1) {
      try {
        return await fetch(href, { method: "POST", body: form, headers });
      } catch {
        if (tries === 0) window.addEventListener("beforeunload", stay);
        says();
        await new Promise((done) => setTimeout(done, Math.min(500 * (tries + 1), 5000)));
      }
    }
  } finally {
    window.removeEventListener("beforeunload", stay);
  }
};
