import { begin } from './derived.mjs';

begin(true);
