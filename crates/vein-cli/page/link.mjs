// Links this tab to its page on the server: events go there, patches come back.

import { Surface } from './applier.mjs';

const socket = new WebSocket(`ws://${location.host}/live`);
socket.binaryType = 'arraybuffer';

const surface = new Surface(document.querySelector('body > #view'), (told) => {
  if (socket.readyState === WebSocket.OPEN) socket.send(JSON.stringify(told));
});

function say(text) {
  const bar = document.querySelector('body > #link');
  bar.textContent = text;
  bar.hidden = false;
}

socket.addEventListener('message', ({ data }) => {
  try {
    surface.apply(data);
    document.documentElement.dataset.linked = '';
  } catch (error) {
    say(`This page could not be brought up to date (${error.message}). Reload it.`);
    socket.close();
  }
});

socket.addEventListener('close', () => {
  if (document.querySelector('body > #link').hidden) {
    say('The server is gone: nothing here changes any more. Reload when it is back.');
  }
});
