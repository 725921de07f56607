// What every page does for who is signed in.

import "./page.js";
import { sendUntilSent } from "./outbox.js";
import "./unsent.js";
import "./shelf.js";

sendUntilSent();
