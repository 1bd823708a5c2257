// Starts the page, and says so if it cannot be started.
import('./main.mjs').catch((error) => {
  const bar = document.querySelector('body > #link');
  bar.textContent = `This page could not be started (${error.message}). Nothing in it changes; reload it.`;
  bar.hidden = false;
  reportError(error);
});
