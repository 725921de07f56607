function r(s,e){let t=s.trimEnd(),n=t.split(`
`).at(-1).trim().split(/[\s;]+/);return n[0]&&n.length===1?`${t} ${e}`:`${t}
? ${e}`.trimStart()}document.addEventListener("click",s=>{let e=s.target.closest("[data-fills]");if(!e)return;let{elements:t}=e.closest("form");for(let[n,l]of Object.entries(JSON.parse(e.dataset.fills)))l!==null&&(t[n].value=t[n].type==="textarea"?r(t[n].value,l):l)});
//# sourceMappingURL=taken.js.map
