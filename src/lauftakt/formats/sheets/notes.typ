// An empty sheet for a pen at the track. All text comes as data and is set as text, never as markup.
#let data = json("data.json")
#set page(paper: "a4", margin: (x: 13mm, top: 11mm, bottom: 11mm))
#set text(font: "Instrument Sans", size: 9.5pt, fill: rgb("#20242e"), hyphenate: false)
#let quiet = rgb("#5f5c55")
#let rule = 0.5pt + rgb("#cfc7b6")
#grid(
  columns: (1fr, auto),
  align: (left + bottom, right + bottom),
  text(size: 16pt, weight: "bold", data.title), text(fill: quiet, size: 8.5pt, data.team),
)
#v(-1mm)
#grid(
  columns: data.head.len() * (1fr,),
  column-gutter: 4mm,
  ..data.head.map(name => block(width: 100%, height: 11mm, stroke: (bottom: rule), text(size: 7.5pt, fill: quiet, name))),
)
#v(1mm)
#align(center, image("map.svg", width: 100%, height: 84mm, fit: "contain"))
#v(1mm)
#let rows = data.rows.len()
#let high = calc.min(112mm / (rows + 1), 9mm)
#table(
  columns: (22mm, 20mm, 1fr, 1fr, 1fr, 1fr),
  rows: (auto,) + rows * (high,),
  stroke: (x, y) => (bottom: rule, left: if x > 1 { rule } else { none }),
  inset: (x: 2pt, y: 1.5pt),
  align: (x, y) => if x == 1 { right + horizon } else { left + horizon },
  ..data.columns.map(name => text(size: 7.5pt, fill: quiet, name)),
  ..data.rows.map(row => (strong(row.at(0)), text(font: "Martian Mono", size: 7pt, row.at(1)), [], [], [], [])).flatten(),
)
#v(2mm)
#grid(
  columns: (1fr, 1fr, 0.7fr),
  column-gutter: 5mm,
  ..data.foot.map(name => {
    text(size: 7.5pt, fill: quiet, name)
    for _ in range(3) {
      v(5.4mm)
      line(length: 100%, stroke: rule)
    }
  }),
)
