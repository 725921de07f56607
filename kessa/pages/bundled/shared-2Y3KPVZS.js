function c(n,t={},...a){let e=Object.assign(document.createElement(n),t);return e.append(...a),e}export{c as a};
//# sourceMappingURL=shared-2Y3KPVZS.js.map
