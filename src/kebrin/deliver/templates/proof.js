(function(){"use strict";
var out=document.getElementById("said");if(!out)return;
function letters(n){var s="";n++;while(n>0){n--;s=String.fromCharCode(65+n%26)+s;n=Math.floor(n/26)}return s}
function tell(td){var box=td.closest(".map"),all=JSON.parse(box.dataset.said),row=td.parentNode.rowIndex-1,at=td.cellIndex-1;
if(row<0||at<0)return;var where=letters(at)+(row+1),said=td.dataset.s?all[+td.dataset.s]:"",text=td.textContent||"blank";
if(td.dataset.r)said=said+", row "+Number(td.dataset.r).toLocaleString("en");
out.textContent=where+" "+text+(said?": "+said:": it holds nothing")}
document.addEventListener("mouseover",function(e){var td=e.target.closest&&e.target.closest(".map td");if(td)tell(td)});
document.addEventListener("keydown",function(e){
var move={ArrowLeft:[0,-1],ArrowRight:[0,1],ArrowUp:[-1,0],ArrowDown:[1,0]}[e.key],here=document.activeElement;
if(!move||!here)return;var box=here.closest(".map");if(!box)return;var next;
if(here.tagName==="TD"){var table=here.closest("table"),line=table.rows[here.parentNode.rowIndex+move[0]];next=line&&line.cells[here.cellIndex+move[1]]}
else next=box.querySelector("td");
if(next&&next.tagName==="TD"){e.preventDefault();if(here.tagName==="TD")here.removeAttribute("tabindex");next.tabIndex=-1;next.focus();tell(next)}});
function target(){var td=document.getElementById(location.hash.slice(1));if(td&&td.tagName==="TD"){td.scrollIntoView({block:"center",inline:"center"});tell(td)}}
window.addEventListener("hashchange",target);target();
})();
