// Hands over what the microphone hears, block by block.
class TakeRecorder extends AudioWorkletProcessor {
  process(inputs) {
    const block = inputs[0]?.[0];
    if (block) this.port.postMessage(block.slice());
    return true;
  }
}
registerProcessor("take-recorder", TakeRecorder);
