// Finds taps in the microphone's sound and hands each over with a little of what was before it.
class TapCatcher extends AudioWorkletProcessor {
  constructor(options) {
    super();
    const { before, after } = options.processorOptions;
    this.before = Math.round(before * sampleRate);
    this.after = Math.round(after * sampleRate);
    this.ring = new Float32Array(this.before + this.after + 4096);
    this.at = 0;
    this.floor = 1e-4;
    this.slow = 1e-4;
    this.left = 0;
    this.told = 0;
    this.quiet = 0;
  }

  push(block) {
    for (const value of block) {
      this.ring[this.at % this.ring.length] = value;
      this.at += 1;
    }
  }

  take() {
    const count = Math.min(this.before + this.after, this.at);
    const out = new Float32Array(count);
    for (let i = 0; i < count; i += 1) out[i] = this.ring[(this.at - count + i) % this.ring.length];
    this.port.postMessage({ tap: out, rate: sampleRate }, [out.buffer]);
  }

  process(inputs) {
    const block = inputs[0]?.[0];
    if (!block) return true;
    this.push(block);
    const level = Math.sqrt(block.reduce((sum, value) => sum + value * value, 0) / block.length);
    if (this.left > 0) {
      this.left -= block.length;
      if (this.left <= 0) {
        this.take();
        // As long again until the next one may begin.
        this.quiet = Math.round(0.12 * sampleRate);
      }
    } else if (this.quiet > 0) {
      this.quiet -= block.length;
    } else if (this.at > this.before && level > 0.006 && level > 4 * this.slow && level > 3 * this.floor) {
      this.left = this.after;
    }
    this.slow += 0.06 * (level - this.slow);
    this.floor = level < this.floor ? level : this.floor * 1.002;
    this.told += block.length;
    if (this.told > sampleRate / 10) {
      this.told = 0;
      this.port.postMessage({ level });
    }
    return true;
  }
}
registerProcessor("tap-catcher", TapCatcher);
