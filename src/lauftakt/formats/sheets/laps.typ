// The sector sheet of a day. All text comes as data and is set as text, never as markup.
#let data = json("data.json")
#set page(paper: "a4", margin: (x: 14mm, top: 13mm, bottom: 14mm), footer: context [
  #text(size: 7pt, fill: rgb("#5f5c55"), data.help) #h(1fr) #text(size: 7pt, counter(page).display("1"))
])
#set text(font: "Instrument Sans", size: 8.5pt, fill: rgb("#20242e"))
#let quiet = rgb("#5f5c55")
#let figure-text(body, fill: rgb("#20242e")) = text(font: "Martian Mono", size: 7pt, fill: fill, body)
#let marked(text-of, times) = {
  if times == 2 { underline(offset: 3.4pt, underline(offset: 1.9pt, text-of)) } else if times == 1 {
    underline(offset: 1.9pt, text-of)
  } else { text-of }
}
#grid(
  columns: (1fr, auto),
  align: (left + bottom, right + bottom),
  text(size: 16pt, weight: "bold", data.title), text(fill: quiet, data.about),
)
#v(-2mm)
#line(length: 100%, stroke: 0.6pt + rgb("#ddd7ca"))
#for driver in data.drivers [
  #block(breakable: true, below: 5mm)[
    #grid(
      columns: (auto, 1fr),
      column-gutter: 4mm,
      align: (left + bottom, left + bottom),
      text(size: 11pt, weight: "bold", driver.name), text(fill: quiet, size: 7.5pt, driver.about),
    )
    #table(
      columns: (8mm, 17mm) + data.columns.map(_ => 1fr) + (20mm,),
      stroke: (x, y) => (bottom: 0.3pt + rgb("#ddd7ca")),
      inset: (x: 1.5pt, y: 1.9pt),
      align: (column, row) => if column == data.columns.len() + 2 { left } else { right },
      table.header(
        text(fill: quiet, size: 7pt, data.words.lap), text(fill: quiet, size: 7pt, data.words.time),
        ..data.columns.map(name => text(fill: quiet, size: 6.5pt, name)),
        text(fill: quiet, size: 7pt, data.words.aside),
      ),
      text(size: 7pt, weight: "bold", data.words.best),
      ..driver.best.map(cell => marked(figure-text(cell.at(0)), cell.at(1))),
      [],
      ..driver.laps.map(lap => (
        figure-text(lap.number, fill: quiet),
        ..lap.cells.map(cell => marked(
          figure-text(cell.at(0), fill: if lap.aside != "" or cell.at(2) { rgb("#8d897f") } else { rgb("#20242e") }),
          cell.at(1),
        )),
        text(fill: quiet, size: 7pt, lap.aside),
      )).flatten(),
    )
  ]
]
#text(weight: "bold", data.foot)
