import"../shared-BA5JLPV5.js";import"../shared-2Y3KPVZS.js";import"../shared-K2SXY4NZ.js";import"../shared-OSLGZZ4Y.js";import"../shared-CZ44XBWZ.js";import"../shared-RXB3AYIH.js";
//# sourceMappingURL=page.js.map
