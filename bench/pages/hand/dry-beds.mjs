import { begin } from './derived.mjs';

begin(false);
