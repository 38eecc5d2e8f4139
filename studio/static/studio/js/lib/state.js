// A state of named parts; whoever shows a part is called when it changes.

export class State {
  constructor(state) {
    this.state = state;
    this.listeners = new Map();
  }

  /** Call back whenever one of the named parts of the state changes. */
  on(names, callback) {
    for (const name of names.split(" ")) {
      if (!this.listeners.has(name)) this.listeners.set(name, new Set());
      this.listeners.get(name).add(callback);
    }
  }

  set(changes) {
    const called = new Set();
    for (const [name, value] of Object.entries(changes)) {
      if (this.state[name] === value && typeof value !== "object") continue;
      this.state[name] = value;
      for (const callback of this.listeners.get(name) ?? []) called.add(callback);
    }
    for (const callback of called) callback(this.state);
  }

  emit(name, detail) {
    for (const callback of this.listeners.get(name) ?? []) callback(detail);
  }
}
