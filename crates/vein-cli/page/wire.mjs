// Values on their way between a page's script and the engine: a byte that says what it is, and what
// follows it. crates/vein-web/src/wire.rs describes the form.

const UTF8 = new TextEncoder();
const TEXT = new TextDecoder('utf-8', { ignoreBOM: true });

// Where what is written stands until it is taken; it grows, and stays.
let room = new Uint8Array(1 << 16);
let view = new DataView(room.buffer);

class Writer {
  #at = 0;

  get whole() {
    return room.subarray(0, this.#at);
  }

  #need(more) {
    if (this.#at + more <= room.length) return;
    const bytes = new Uint8Array(Math.max(room.length * 2, this.#at + more));
    bytes.set(room);
    room = bytes;
    view = new DataView(room.buffer);
  }

  byte(byte) {
    this.#need(1);
    room[this.#at++] = byte;
  }

  count(count) {
    while (count >= 128) {
      this.byte((count & 127) | 128);
      count >>>= 7;
    }
    this.byte(count);
  }

  number(number) {
    this.#need(8);
    view.setFloat64(this.#at, number, true);
    this.#at += 8;
  }

  text(text) {
    const { length } = text;
    // Short texts are nearly always plain, and then their bytes are their units.
    if (length < 64) {
      this.#need(length + 1);
      let at = this.#at + 1;
      let unit = 0;
      while (at <= this.#at + length && (unit = text.charCodeAt(at - this.#at - 1)) < 128) room[at++] = unit;
      if (at === this.#at + length + 1) {
        room[this.#at] = length;
        this.#at = at;
        return;
      }
    }
    const bytes = UTF8.encode(text);
    this.count(bytes.length);
    this.#need(bytes.length);
    room.set(bytes, this.#at);
    this.#at += bytes.length;
  }

  value(value, path) {
    switch (typeof value) {
      case 'number': this.byte(3); this.number(value); return;
      case 'boolean': this.byte(value ? 2 : 1); return;
      case 'string': this.string(value); return;
      case 'undefined': this.byte(0); return;
      case 'object': break;
      default: throw new TypeError(`${way(path) || 'the value'} is a ${typeof value}, which no component can hold`);
    }
    if (value === null) {
      this.byte(0);
    } else if (Array.isArray(value)) {
      this.byte(5);
      this.count(value.length);
      for (let at = 0; at < value.length; at++) this.value(value[at], [path, at]);
    } else {
      // A moment is the milliseconds since 1970; what can say what it is in JSON does.
      if (value instanceof Date) return this.value(value.getTime(), path);
      if (typeof value.toJSON === 'function') return this.value(value.toJSON(), path);
      let names = Object.keys(value);
      if (names.some((name) => value[name] === undefined)) names = names.filter((name) => value[name] !== undefined);
      this.byte(6);
      this.count(names.length);
      for (const name of names) {
        this.text(name);
        this.value(value[name], [path, name]);
      }
    }
  }

  string(text) {
    if (text.isWellFormed?.() ?? true) {
      this.byte(4);
      this.text(text);
      return;
    }
    this.byte(7);
    this.count(text.length);
    for (let at = 0; at < text.length; at++) {
      const unit = text.charCodeAt(at);
      this.byte(unit & 255);
      this.byte(unit >> 8);
    }
  }
}

/** The way to a value, from the steps that led to it. */
function way(path) {
  if (path === null) return '';
  const [before, step] = path;
  if (typeof step === 'number') return `${way(before)}[${step}]`;
  return before === null ? step : `${way(before)}.${step}`;
}

function read(bytes) {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let at = 0;
  const count = () => {
    let count = 0;
    for (let scale = 1; ; scale *= 128) {
      const byte = bytes[at++];
      count += (byte & 127) * scale;
      if (byte < 128) return count;
    }
  };
  const text = () => {
    const length = count();
    at += length;
    return TEXT.decode(bytes.subarray(at - length, at));
  };
  const value = () => {
    switch (bytes[at++]) {
      case 0: return null;
      case 1: return false;
      case 2: return true;
      case 3:
        at += 8;
        return view.getFloat64(at - 8, true);
      case 4: return text();
      case 5: return Array.from({ length: count() }, value);
      case 6: return Object.fromEntries(Array.from({ length: count() }, () => [text(), value()]));
      default: {
        const units = Array.from({ length: count() }, () => view.getUint16((at += 2) - 2, true));
        return String.fromCharCode(...units);
      }
    }
  };
  return value();
}

export const Wire = {
  /** A value as bytes, until the next is written. Throws for what no component can hold, and says where it stands. */
  write(value) {
    const writer = new Writer();
    writer.value(value, null);
    return writer.whole;
  },
  /** The value that some bytes are; they are the engine's, so they are right. */
  read,
};
