"""A microphone into which a test plays clips, sample by sample, however busy the machine is."""

from base64 import b64encode

from playwright.sync_api import Page

HEARS_CLIPS = """
AudioContext.prototype.createMediaStreamSource = function () {
  const open = this.createGain();
  window.microphone = { context: this, open };
  return open;
};
"""
PLAY = """async (sound) => {
  const { context, open } = window.microphone;
  const bytes = Uint8Array.from(atob(sound), (letter) => letter.charCodeAt(0));
  const source = context.createBufferSource();
  source.buffer = await context.decodeAudioData(bytes.buffer);
  source.connect(open);
  source.start();
  await new Promise((over) => {
    source.onended = over;
    context.onstatechange = over;
  });
}"""


def play_into_microphone(page: Page, wav: bytes) -> None:
    """Play a clip into the microphone; return when it is over or the page stops listening."""
    page.evaluate(PLAY, b64encode(wav).decode())
