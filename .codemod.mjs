import ts from 'typescript';import fs from 'node:fs';import path from 'node:path';
const R=process.cwd();
const cfg=ts.getParsedCommandLineOfConfigFile('apps/field/tsconfig.json',{},{...ts.sys,onUnRecoverableConfigFileDiagnostic(){}});
const prog=ts.createProgram(cfg.fileNames,cfg.options);const ch=prog.getTypeChecker();
let n=0;
for(const sf of prog.getSourceFiles()){
 if(!sf.fileName.includes('/apps/field/')||sf.fileName.includes('node_modules'))continue;
 const edits=[];
 for(const st of sf.statements){
  if(!ts.isImportDeclaration(st)&&!(ts.isExportDeclaration(st)&&st.moduleSpecifier))continue;
  const m=st.moduleSpecifier.text; if(!/^@tawny\/(core|contract)$/.test(m))continue;
  const els=ts.isImportDeclaration(st)?(st.importClause?.namedBindings?.elements??[]):(st.exportClause?.elements??[]);
  const typeOnly=ts.isImportDeclaration(st)&&st.importClause?.isTypeOnly;
  if(typeOnly)continue;
  if(!els.length){console.log('odd',sf.fileName,st.getText());continue;}
  const g=new Map();
  for(const e of els){let s=ch.getSymbolAtLocation(e.propertyName??e.name);if(s.flags&ts.SymbolFlags.Alias)s=ch.getAliasedSymbol(s);
   const f=s.declarations[0].getSourceFile().fileName;const k=path.relative(path.join(R,'packages',m.slice(7),'src'),f).replace(/\.ts$/,'');
   if(k.startsWith('..')){console.log('??',sf.fileName,e.getText(),f);}
   const isT=e.isTypeOnly; const list=g.get(k)??[];list.push(e.getText());g.set(k,list);}
  const types=[],out=[];
  for(const [k,l] of [...g]){ if(l.every(x=>x.startsWith('type ')))types.push(...l.map(x=>x.slice(5))); else {types.push(...l.filter(x=>x.startsWith('type ')).map(x=>x.slice(5)));out.push([k,l.filter(x=>!x.startsWith('type '))]);}}
  const kw=ts.isImportDeclaration(st)?'import':'export';
  const text=[...(types.length?[`${kw} type { ${types.join(', ')} } from '${m}';`]:[]),...out.sort((a,b)=>a[0]<b[0]?-1:1).map(([k,l])=>`${kw} { ${l.join(', ')} } from '${m}/${k}';`)].join('\n');
  edits.push([st.getStart(),st.getEnd(),text]);
 }
 if(edits.length){let t=sf.text;for(const [a,b,x] of edits.reverse())t=t.slice(0,a)+x+t.slice(b);fs.writeFileSync(sf.fileName,t);n++;}
}
console.log(n);
