// Values on their way between a page's script and the engine: a byte that says what it is, and what
// follows it. crates/vein-web/src/wire.rs describes the form.

const UTF8 = new TextEncoder();
const TEXT = new TextDecoder('utf-8', { ignoreBOM: true });

class Writer {
  #bytes = new Uint8Array(1024);
  #at = 0;

  get whole() {
    return this.#bytes.subarray(0, this.#at);
  }

  #room(more) {
    if (this.#at + more <= this.#bytes.length) return;
    const bytes = new Uint8Array(Math.max(this.#bytes.length * 2, this.#at + more));
    bytes.set(this.#bytes);
    this.#bytes = bytes;
  }

  byte(byte) {
    this.#room(1);
    this.#bytes[this.#at++] = byte;
  }

  count(count) {
    while (count >= 128) {
      this.byte((count & 127) | 128);
      count >>>= 7;
    }
    this.byte(count);
  }

  number(number) {
    this.#room(8);
    new DataView(this.#bytes.buffer, this.#at).setFloat64(0, number, true);
    this.#at += 8;
  }

  text(text) {
    const most = text.length * 3;
    this.#room(most + 5);
    // The length comes first and is known last; texts are short.
    const bytes = UTF8.encode(text);
    this.count(bytes.length);
    this.#room(bytes.length);
    this.#bytes.set(bytes, this.#at);
    this.#at += bytes.length;
  }

  value(value, path) {
    switch (typeof value) {
      case 'number': this.byte(3); this.number(value); return;
      case 'boolean': this.byte(value ? 2 : 1); return;
      case 'string': this.string(value); return;
      case 'undefined': this.byte(0); return;
      case 'object': break;
      default: throw new TypeError(`${path || 'the value'} is a ${typeof value}, which no component can hold`);
    }
    if (value === null) {
      this.byte(0);
    } else if (Array.isArray(value)) {
      this.byte(5);
      this.count(value.length);
      value.forEach((item, at) => this.value(item, `${path}[${at}]`));
    } else {
      // A moment is the milliseconds since 1970; what can say what it is in JSON does.
      if (value instanceof Date) return this.value(value.getTime(), path);
      if (typeof value.toJSON === 'function') return this.value(value.toJSON(), path);
      const fields = Object.entries(value).filter(([, field]) => field !== undefined);
      this.byte(6);
      this.count(fields.length);
      for (const [name, field] of fields) {
        this.text(name);
        this.value(field, path ? `${path}.${name}` : name);
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
  /** A value as bytes. Throws for what no component can hold, and says where it stands. */
  write(value) {
    const writer = new Writer();
    writer.value(value, '');
    return writer.whole;
  },
  /** The value that some bytes are; they are the engine's, so they are right. */
  read,
};
