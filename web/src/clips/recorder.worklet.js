/* Hands every block of the input to the page, sample for sample. */
class Recorder extends AudioWorkletProcessor {
  process(inputs) {
    const input = inputs[0];
    if (input.length) this.port.postMessage(input.map((channel) => channel.slice()));
    return true;
  }
}
registerProcessor("fonodrome-recorder", Recorder);
