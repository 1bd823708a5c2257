// What a workbench sees of a served page, and draws in it: marks around elements, what is under the pointer, what a person does.

const TEXT_KEYS = ['Backspace', 'Delete'];
const MOVING = ['Home', 'End', 'PageUp', 'PageDown'];
const EDITING = ['a', 'c', 'v', 'x', 'y', 'z'];
const BY_KEYS = ['insertText', 'insertLineBreak', 'deleteContentBackward', 'deleteContentForward'];
const QUIET_KEYS = ['Shift', 'Control', 'Alt', 'Meta', 'CapsLock', 'Dead', 'Process', 'Unidentified'];
// Inputs that are set at once.
const WHOLE = ['range', 'color', 'date', 'time', 'month', 'week', 'datetime-local'];
const PLAIN = ['checkbox', 'radio', 'button', 'submit', 'reset', 'image', 'file', 'hidden'];
// What people do that no scenario can.
const NOT_DONE = ['dragstart', 'wheel', 'copy', 'cut', 'contextmenu', 'auxclick', 'touchstart'];

export class Looked {
  #root;
  #surface;
  #say;
  #marks = [];
  #layer = null;
  #points = false;
  #records = false;
  #last = null;
  // While the pointer is pressed; the field that is typed into, what stood in it, and the keys.
  #pressed = false;
  #field = null;
  #was = '';
  #keys = '';
  #frame = 0;
  #listens = false;

  constructor(root, surface, say) {
    this.#root = root;
    this.#surface = surface;
    this.#say = say;
  }

  /** Listens from now on: a page that nobody looks at is left alone. */
  #listen() {
    if (this.#listens) return;
    this.#listens = true;
    addEventListener('scroll', () => this.#drawSoon(), { capture: true, passive: true });
    addEventListener('resize', () => this.#drawSoon());
    this.#point();
    this.#record();
  }

  /** What a workbench wants to know. */
  watch({ points, records }) {
    if (points || records) this.#listen();
    this.#points = points;
    this.#records = records;
    this.#root.style.cursor = points ? 'crosshair' : '';
    [this.#last, this.#field] = [null, null];
    if (!points) this.marks([]);
  }

  /** Draws around the nodes of some numbers, each with something said of it. */
  marks(all) {
    this.#marks = all;
    if (all.length > 0) this.#listen();
    this.#draw();
  }

  /** Patches were applied: what is marked may be elsewhere. */
  changed() {
    if (this.#marks.length > 0) this.#drawSoon();
  }

  #drawSoon() {
    if (this.#frame === 0 && this.#marks.length > 0) {
      this.#frame = requestAnimationFrame(() => {
        this.#frame = 0;
        this.#draw();
      });
    }
  }

  #draw() {
    if (this.#layer === null) {
      if (this.#marks.length === 0) return;
      const place = document.createElement('div');
      place.id = 'vein-marks';
      const shadow = place.attachShadow({ mode: 'open' });
      const link = document.createElement('link');
      Object.assign(link, { rel: 'stylesheet', href: '/vein/over.css' });
      this.#layer = document.createElement('div');
      this.#layer.id = 'marks';
      shadow.append(link, this.#layer);
      document.body.append(place);
    }
    const boxes = [];
    for (const [number, said] of this.#marks) {
      const node = this.#surface.nodeOf(number);
      const element = node?.nodeType === Node.TEXT_NODE ? node.parentElement : node;
      if (!element || element === this.#root) continue;
      const { left, top, width, height } = element.getBoundingClientRect();
      if (width === 0 && height === 0) continue;
      const box = document.createElement('div');
      box.className = 'mark';
      Object.assign(box.style, { left: `${left}px`, top: `${top}px`, width: `${width}px`, height: `${height}px` });
      const label = document.createElement('span');
      label.textContent = said;
      if (top < 20) label.className = 'inside';
      box.append(label);
      boxes.push(box);
    }
    this.#layer.replaceChildren(...boxes);
  }

  #point() {
    const over = (event) => {
      if (!this.#points || !this.#root.contains(event.target)) return;
      if (event.target !== this.#last) {
        this.#last = event.target;
        this.#say({ pointed: [this.#surface.placeOf(event.target), false] });
      }
    };
    const hold = (event) => {
      if (!this.#points || !this.#root.contains(event.target)) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      if (event.type === 'click') this.#say({ pointed: [this.#surface.placeOf(event.target), true] });
    };
    addEventListener('pointermove', over, true);
    for (const type of ['pointerdown', 'mousedown', 'pointerup', 'mouseup', 'click']) addEventListener(type, hold, true);
  }

  #did(what) {
    if (what.typed === undefined) this.#field = null;
    this.#say({ did: what });
  }

  #record() {
    const hear = (type, heard, passive = false) => addEventListener(type, (event) => {
      const target = event.target;
      // What scripts make up is nothing that a person does; of lists, some drivers do so in a person's stead.
      if (!this.#records || this.#points || !(event.isTrusted || target.localName === 'select' && type === 'input')) return;
      if (!(target instanceof Element) || !this.#root.contains(target)) return;
      heard(event, target, () => this.#surface.placeOf(target));
    }, { capture: true, passive });
    hear('pointerdown', (event) => {
      this.#pressed = event.button === 0;
      this.#keyed = null;
    });
    hear('click', (event, target, place) => {
      // What a label or a key passes on is no click of a person's.
      if (!this.#pressed) return;
      this.#pressed = false;
      if (!WHOLE.includes(target.type)) this.#did({ click: place() });
    });
    hear('dblclick', (event, target, place) => this.#did({ double: place() }));
    hear('keydown', (event, target, place) => {
      if (event.isComposing || QUIET_KEYS.includes(event.key)) return;
      this.#pressed = false;
      const { key, ctrlKey, altKey, metaKey, shiftKey } = event;
      this.#keyed = null;
      const held = [[ctrlKey, 'Control'], [altKey, 'Alt'], [metaKey, 'Meta'], [shiftKey && (key.length > 1), 'Shift']];
      const pressed = [...held.filter(([on]) => on).map(([, name]) => name), key].join('+');
      if (isField(target)) {
        const commands = ctrlKey || altKey || metaKey;
        const lines = key === 'Enter' && target.localName === 'textarea';
        if (!commands && (key.length === 1 || TEXT_KEYS.includes(key) || lines)) {
          this.#typing(target, place, pressed, key.length === 1 ? key : '');
          return;
        }
        // Where the caret goes, and what is selected and pasted, is told by what stands there then, and by the keys if need be.
        const moves = key.startsWith('Arrow') && target.type !== 'number' || MOVING.includes(key);
        if (moves || commands && EDITING.includes(key.toLowerCase())) {
          const told = this.#field === target || this.#heard(target, 'keydown') || this.#heard(target, 'keyup');
          if (told) this.#typing(target, place, moves || key === 'a' ? pressed : '', '');
          return;
        }
      }
      this.#keyed = target;
      if (WHOLE.includes(target.type) && key !== 'Tab' && key !== 'Enter' && key !== 'Escape') return;
      if (target.matches(':focus')) this.#did({ press: [place(), pressed] });
    });
    hear('beforeinput', (event, target, place) => {
      if (isField(target) && !BY_KEYS.includes(event.inputType)) this.#typing(target, place, '', '');
    });
    hear('input', (event, target, place) => {
      if (target.localName === 'select') {
        if (target !== this.#keyed) this.#did({ chose: [place(), Array.from(target.selectedOptions, (o) => o.value)] });
      } else if (isField(target) && target !== this.#keyed) {
        const bad = target.validity.badInput;
        this.#did({ typed: [place(), this.#was, bad ? this.#keys : target.value, []] });
      } else if (WHOLE.includes(target.type)) {
        this.#did({ typed: [place(), '', target.value, ['']] });
      }
    });
    hear('compositionstart', (event, target, place) => this.#typing(target, place, '', ''));
    // The person goes elsewhere, and comes back.
    hear('focusout', (event, target, place) => {
      if (event.relatedTarget === null && !document.hasFocus()) {
        this.#did({ blur: place() });
        this.#away = target;
      }
    });
    hear('focusin', (event, target, place) => {
      if (this.#away === target && event.relatedTarget === null) this.#did({ focus: place() });
      this.#away = null;
    });
    for (const type of NOT_DONE) {
      hear(type, (event, target) => {
        if (this.#heard(target, type)) {
          this.#did({ cannot: `nothing in a scenario does \`${type}\`: what that did is left out` });
        }
      }, true);
    }
  }

  // The element that had the focus when the person went elsewhere.
  #away = null;
  // The control that was changed by a key that is told of as one.
  #keyed = null;

  /** Whether an element or one around it listens to a kind of event. */
  #heard(element, type) {
    for (let at = element; at && at !== this.#root; at = at.parentElement) {
      if (this.#surface.hears(at, type)) return true;
    }
    return false;
  }

  /** A person begins to type into a field, or goes on: by a key, which writes something, or by something else. */
  #typing(field, place, key, writes) {
    if (this.#field !== field) {
      this.#field = field;
      this.#was = field.value;
      this.#keys = '';
    }
    this.#keys += writes;
    const text = field.validity?.badInput ? this.#keys : field.value;
    this.#did({ typed: [place(), this.#was, text, [key]] });
  }
}

/** Whether text is typed into it key by key. */
function isField(element) {
  if (element.localName === 'textarea') return true;
  return element.localName === 'input' && !WHOLE.includes(element.type) && !PLAIN.includes(element.type);
}
