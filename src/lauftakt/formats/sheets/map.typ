// A circuit on one page, for the briefing before driving. All text comes as data and is set as text, never as markup.
#let data = json("data.json")
#set page(paper: "a4", flipped: true, margin: (x: 14mm, top: 12mm, bottom: 12mm))
#set text(font: "Instrument Sans", size: 9pt, fill: rgb("#20242e"))
#let quiet = rgb("#5f5c55")
#let figure-text(body) = text(font: "Martian Mono", size: 7.5pt, body)
#grid(
  columns: (1fr, auto),
  align: (left + bottom, right + bottom),
  text(size: 17pt, weight: "bold", data.title), text(fill: quiet, data.about),
)
#v(-2mm)
#line(length: 100%, stroke: 0.6pt + rgb("#ddd7ca"))
#grid(
  columns: (1fr, 74mm),
  column-gutter: 8mm,
  align(center + horizon, image("map.svg", width: 100%, height: 138mm, fit: "contain")),
  [
    #set par(leading: 0.45em)
    #table(
      columns: data.columns.len() * (auto,),
      stroke: none,
      inset: (x: 2pt, y: 1.7pt),
      align: (column, row) => if column == 0 { left } else { right },
      table.header(..data.columns.map(name => text(fill: quiet, size: 7.5pt, name))),
      ..data.rows.map(row => row.enumerate().map(((i, cell)) => if i == 0 { strong(cell) } else { figure-text(cell) })).flatten(),
    )
    #if data.sectors.len() > 0 [
      #v(1mm)
      #text(fill: quiet, size: 7.5pt, data.sectors_title) \
      #for sector in data.sectors [#text(sector.at(0)) #h(1fr) #figure-text(sector.at(1)) \ ]
    ]
    #if data.marks.len() > 0 [
      #v(1mm)
      #text(fill: quiet, size: 7.5pt, data.marks_title) \
      #for mark in data.marks [#text(mark.at(0)) #h(1fr) #figure-text(mark.at(1)) \ ]
    ]
  ],
)
#v(1fr)
#for _ in range(3) {
  line(length: 100%, stroke: 0.4pt + rgb("#ddd7ca"))
  v(3.2mm)
}
#text(fill: quiet, size: 7pt, data.foot)
