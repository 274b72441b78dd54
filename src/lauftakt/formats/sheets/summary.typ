// A day of a school on one page. All text comes as data and is set as text, never as markup.
#let data = json("data.json")
#set page(paper: "a4", margin: (x: 16mm, top: 14mm, bottom: 14mm))
#set text(font: "Instrument Sans", size: 10pt, fill: rgb("#20242e"), hyphenate: false)
#let quiet = rgb("#5f5c55")
#let rule = 0.5pt + rgb("#ddd7ca")
#let figure-text(body) = text(font: "Martian Mono", size: 8.5pt, body)
#grid(
  columns: (1fr, auto),
  align: (left + bottom, right + bottom),
  text(size: 19pt, weight: "bold", data.title), text(fill: quiet, size: 8.5pt, data.team),
)
#v(-2.5mm)
#text(fill: quiet, data.about)
#v(2mm)
#grid(
  columns: data.figures.len() * (1fr,),
  ..data.figures.map(pair => [#text(size: 17pt, weight: 600, pair.at(1)) \ #text(size: 8.5pt, fill: quiet, pair.at(0))]),
)
#for part in data.parts [
  #v(4mm)
  #text(size: 11.5pt, weight: 600, part.at(0))
  #v(-2mm)
  #line(length: 100%, stroke: rule)
  #v(-2mm)
  #for row in part.at(1) [
    #grid(columns: (70mm, 1fr), text(row.at(0)), text(row.at(1)))
  ]
]
#if data.rows.len() > 0 [
  #v(4mm)
  #set text(size: if data.rows.len() > 24 { 7pt } else { 9pt })
  #table(
    columns: (1fr,) + (data.columns.len() - 1) * (auto,),
    stroke: (x, y) => (bottom: rule),
    inset: (x: 4pt, y: if data.rows.len() > 24 { 1.6pt } else { 3pt }),
    align: (column, row) => if column == 0 { left } else { right },
    table.header(..data.columns.map(name => text(fill: quiet, size: 8pt, name))),
    ..data.rows.map(row => row.enumerate().map(((i, cell)) => if i == 0 { strong(cell) } else { figure-text(cell) })).flatten(),
  )
]
#v(1fr)
#text(fill: quiet, size: 8pt, data.note)
