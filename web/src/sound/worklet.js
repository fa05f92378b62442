// Plays sound that comes block by block.

const levelEvery = 2400; // frames between two levels told

/** Metered tells how strong what it plays is, and when something begins to sound. */
class Metered extends AudioWorkletProcessor {
  constructor() {
    super();
    this.square = 0;
    this.peak = 0;
    this.counted = 0;
    this.silent = true;
    this.port.onmessage = (e) => this.take(e.data);
  }

  measure(left, right) {
    for (let n = 0; n < left.length; n++) {
      const power = left[n] * left[n] + (right ? right[n] * right[n] : 0);
      this.square += power;
      const top = Math.max(Math.abs(left[n]), right ? Math.abs(right[n]) : 0);
      if (top > this.peak) this.peak = top;
      if (top > 1e-5 && this.silent) {
        this.silent = false;
        this.port.postMessage({ first: currentTime + n / sampleRate });
      }
    }
    this.counted += left.length;
    if (this.counted >= levelEvery) {
      if (this.peak <= 1e-5) this.silent = true;
      this.port.postMessage({ square: this.square / this.counted, peak: this.peak });
      this.square = this.peak = this.counted = 0;
    }
  }
}

const fewest = 4; // blocks that must have come: 21 ms
const most = 24; // blocks that wait at most; older ones are dropped
const slowest = 12; // blocks that must have come at most
const calm = 48000 * 20; // frames without a gap, after which it waits for one less
const restarted = 1000; // a number so far behind is that of a machine begun anew

/** Played plays what machines sound now. Each machine's blocks are numbered; one that is late
 * or comes twice is dropped. A machine begins to sound once a few of its blocks have come, so
 * that small delays are not heard; after a gap it waits for one more. */
class Played extends Metered {
  constructor() {
    super();
    this.machines = new Map();
    this.begin = fewest;
    this.without = 0;
  }

  take({ machine, number, last, frames }) {
    let m = this.machines.get(machine);
    if (!m) {
      m = { queue: [], at: 0, number: -1, on: false, ending: false };
      this.machines.set(machine, m);
    }
    if (number <= m.number && number > m.number - restarted) return;
    m.number = number;
    m.ending = last;
    m.queue.push(frames);
    if (m.queue.length > most) {
      m.queue.splice(0, m.queue.length - this.begin);
      m.at = 0;
    }
  }

  process(_, [output]) {
    const [left, right] = output;
    for (const m of this.machines.values()) this.add(m, left, right ?? left);
    this.without += left.length;
    if (this.without > calm && this.begin > fewest) {
      this.begin--;
      this.without = 0;
    }
    this.measure(left, right);
    return true;
  }

  gap() {
    this.without = 0;
    this.begin = Math.min(slowest, this.begin + 1);
    this.port.postMessage({ gap: true });
  }

  add(m, left, right) {
    if (!m.on) {
      if (m.queue.length < this.begin && !(m.ending && m.queue.length)) return;
      m.on = true;
    }
    for (let n = 0; n < left.length; n++) {
      const block = m.queue[0];
      if (!block) {
        m.on = false;
        if (!m.ending) this.gap();
        return;
      }
      left[n] += block[2 * m.at];
      right[n] += block[2 * m.at + 1];
      m.at++;
      if (2 * m.at >= block.length) {
        m.queue.shift();
        m.at = 0;
      }
    }
  }
}

registerProcessor("played", Played);

const enough = 4096; // frames that must have come before music begins, or goes on after a gap
const toldEvery = 2048; // frames between two places told

/** Performed plays music that was made ahead. It may be held; what belongs to an earlier play
 * is dropped. */
class Performed extends Metered {
  constructor() {
    super();
    this.play = 0;
    this.clear();
  }

  clear() {
    this.queue = [];
    this.waiting = 0; // frames in the queue
    this.at = 0; // in its first piece
    this.heard = 0; // frames of this play
    this.told = 0;
    this.on = false;
    this.held = false;
    this.whole = false; // everything has come
  }

  take(m) {
    if (m.begin !== undefined) {
      this.play = m.begin;
      this.clear();
    } else if (m.hold !== undefined) this.held = m.hold;
    else if (m.whole !== undefined) this.whole = m.whole === this.play;
    else if (m.play === this.play) {
      this.queue.push(m.frames);
      this.waiting += m.frames.length / 2;
    }
  }

  process(_, [output]) {
    const [left, right] = output;
    if (!this.held) this.fill(left, right ?? left);
    this.measure(left, right);
    return true;
  }

  fill(left, right) {
    if (!this.on) {
      if (this.waiting < enough && !this.whole) return;
      this.on = this.waiting > 0;
    }
    for (let n = 0; n < left.length && this.on; n++) {
      const piece = this.queue[0];
      if (!piece) {
        this.on = false;
        this.port.postMessage(this.whole ? { done: this.play } : { gap: true });
        break;
      }
      left[n] = piece[2 * this.at];
      right[n] = piece[2 * this.at + 1];
      this.heard++;
      this.waiting--;
      if (2 * ++this.at >= piece.length) {
        this.queue.shift();
        this.at = 0;
      }
    }
    if (this.heard - this.told >= toldEvery) {
      this.told = this.heard;
      this.port.postMessage({ play: this.play, heard: this.heard });
    }
  }
}

registerProcessor("performed", Performed);
