// Edits that the server has not acknowledged yet, in their order. Each is kept in the browser, through reloading, closing
// and crashing, until it is acknowledged or refused by itself.

const PREFIX = "pirouette-outbox";

/** Moves of one value become one; whatever else a gesture does follows after it. */
function joined(patch, more) {
  const whole = [...patch];
  for (const operation of more) {
    const at = whole.findIndex(({ path }) => path === operation.path);
    const isMove = operation.op === "replace" && at >= 0 && ["add", "replace"].includes(whole[at].op);
    // What was put in between might lie on the way to the value.
    if (isMove && whole.slice(at + 1).every(({ op }) => op === "replace"))
      whole[at] = { ...whole[at], value: operation.value };
    else whole.push(operation);
  }
  return whole;
}

/** Whether a patch only gives other values to what the last one gave values to. */
function movesOn(last, patch) {
  return patch.every(({ op, path }) => op === "replace" && last.some((one) => one.op === op && one.path === path));
}

function readEdits(text) {
  try {
    return JSON.parse(text ?? "[]");
  } catch {
    return [];
  }
}

export class Outbox {
  /**
   * @param {Storage|undefined} storage where edits are kept; none keeps them in memory alone
   * @param {number} sceneId
   * @param {string} name another one for each tab
   */
  constructor(storage, sceneId, name) {
    this.storage = storage;
    this.sceneId = sceneId;
    this.key = `${PREFIX}-${sceneId}-${name}`;
    this.edits = [];
    // Edits that other tabs left behind, of which it is not known yet whether they have arrived.
    this.unclear = [];
    this.isSending = false;
  }

  get first() {
    return this.edits[0];
  }

  /** Add an edit; one of the gesture that waits already, or of the values that wait already, becomes a part of that. */
  add(patch, gesture) {
    const last = this.edits.at(-1);
    const isUnderWay = this.isSending && this.edits.length === 1;
    const isOfOne = last && ((gesture && last.gesture === gesture) || movesOn(last.patch, patch));
    if (isOfOne && !isUnderWay) last.patch = joined(last.patch, patch);
    else this.edits.push({ id: crypto.randomUUID(), gesture: gesture ?? "", patch });
    this.keep();
  }

  /** Take out the first edit: the server has answered. */
  shift() {
    const edit = this.edits.shift();
    this.keep();
    return edit;
  }

  replace(edits) {
    this.edits = edits;
    this.keep();
  }

  keep() {
    try {
      const all = [...this.unclear, ...this.edits];
      if (all.length) this.storage?.setItem(this.key, JSON.stringify(all));
      else this.storage?.removeItem(this.key);
    } catch {
      // The browser's storage is full or closed: the edits wait in this page alone, and it says that they are not saved.
    }
  }

  /**
   * Hold this tab's name for as long as it lives, and take over the edits of other tabs of the scene once they are gone.
   * @param {LockManager|undefined} locks
   * @param {(edits: object[]) => void} take
   */
  adopt(locks, take) {
    if (!this.storage || !locks) return;
    locks.request(this.key, () => new Promise(() => {}));
    for (const key of Object.keys(this.storage)) {
      if (!key.startsWith(`${PREFIX}-${this.sceneId}-`) || key === this.key) continue;
      locks.request(key, () => {
        const left = readEdits(this.storage.getItem(key));
        // Kept under this tab's name before they go from the other's.
        this.unclear.push(...left);
        this.keep();
        this.storage.removeItem(key);
        if (left.length) take(left);
      });
    }
  }

  /** Once it is known which of some left edits have arrived, the others wait like this tab's own, before them. */
  settle(left, known) {
    const hasArrived = ({ id, gesture }, at) =>
      known.includes(id) ||
      (gesture && left.slice(at + 1).some((one) => one.gesture === gesture && known.includes(one.id)));
    const lost = left.filter((edit, at) => !hasArrived(edit, at));
    this.unclear = this.unclear.filter((edit) => !left.includes(edit));
    // What is under way stays the first, as its answer takes out the first.
    this.edits.splice(this.isSending ? 1 : 0, 0, ...lost);
    this.keep();
  }
}
