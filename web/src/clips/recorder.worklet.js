/* Hands every block of the input to the page, sample for sample, with the frame that it began at. */
class Recorder extends AudioWorkletProcessor {
  process(inputs) {
    const input = inputs[0];
    if (input.length)
      this.port.postMessage({
        channels: input.map((channel) => channel.slice()),
        frame: currentFrame,
      });
    return true;
  }
}
registerProcessor("fonodrome-recorder", Recorder);
