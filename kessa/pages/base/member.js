// What every page does for who is signed in.

import "./page.js";
import "./outbox.js";
import "./unsent.js";
import "./shelf.js";
