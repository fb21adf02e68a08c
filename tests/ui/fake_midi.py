"""A made-up MIDI instrument for the browser: the real Web MIDI path, without hardware."""

FAKE_MIDI = """
  const listeners = []
  const input = {
    id: 'barge-1', name: 'Barge piano', manufacturer: '', type: 'input', state: 'connected', connection: 'open',
      version: '1',
    onmidimessage: null, open: async () => input, close: async () => input, addEventListener() {},
      removeEventListener() {},
  }
  window.sentOut = []
  const output = {
    id: 'barge-out', name: 'Barge organ', manufacturer: '', type: 'output', state: 'connected', connection: 'open',
      version: '1',
    open: async () => output, close: async () => output, clear() {}, send: (data) => window.sentOut.push([...data]),
      addEventListener() {}, removeEventListener() {},
  }
  const access = {
    inputs: new Map(), outputs: new Map([[output.id, output]]), sysexEnabled: false, onstatechange: null,
      addEventListener() {}, removeEventListener() {},
  }
  navigator.requestMIDIAccess = async () => access
  window.plugIn = () => { access.inputs.set(input.id, input); access.onstatechange?.({ port: input, target: access }) }
  window.pullOut = () => { access.inputs.delete(input.id); input.state = 'disconnected'; input.connection = 'pending';
    access.onstatechange?.({ port: input, target: access }) }
  window.sendMidiAt = (at, ...data) => input.onmidimessage?.({ data: new Uint8Array(data), timeStamp: at,
    target: input })
  window.sendMidi = (...data) => input.onmidimessage?.({ data: new Uint8Array(data), timeStamp: performance.now(),
    target: input })
"""
