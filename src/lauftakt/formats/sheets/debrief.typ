// What drivers are given after a run, a page for each. All text comes as data and is set as text, never as markup.
#let sheets = json("data.json").sheets
#set page(paper: "a4", margin: (x: 14mm, top: 12mm, bottom: 12mm))
#set text(font: "Instrument Sans", size: 10pt, fill: rgb("#20242e"), hyphenate: false)
#let quiet = rgb("#5f5c55")
#let legend-line(role) = if role == "usual" {
  line(length: 9mm, stroke: 0.7pt + rgb("#20242e"))
} else if role == "best" {
  line(length: 9mm, stroke: 1.7pt + rgb("#4a2f6b"))
} else {
  line(length: 9mm, stroke: 3.4pt + rgb("#cfc7b6"))
}
#for (number, data) in sheets.enumerate() [
  #if number > 0 { pagebreak() }
  #grid(
    columns: (1fr, auto),
    align: (left + bottom, right + bottom),
    text(size: 19pt, weight: "bold", data.title), text(fill: quiet, size: 8.5pt, data.team),
  )
  #v(-2.5mm)
  #text(fill: quiet, size: 9pt, data.about)
  #v(-1.5mm)
  #text(size: 11pt, data.lead)
  #if data.changes.len() > 0 [
    #text(size: 8pt, weight: "bold", data.words.changed) #text(size: 8pt, data.changes.join("  "))
  ]
  #v(1mm)
  #let unit = calc.min(222mm / data.parts, 46mm)
  #for piece in data.pieces {
    let high = if piece.kind == "keep" { unit } else { 1.25 * unit }
    block(width: 100%, height: high, below: 0mm, above: 0mm, clip: true, stroke: (top: 0.5pt + rgb("#ddd7ca")), inset: (y: 1.6mm))[
      #grid(
        columns: (1fr, calc.min(62mm, (high - 4mm) * 1.45), calc.min(62mm, (high - 4mm) * 1.45)),
        column-gutter: 3mm,
        {
          text(size: 8pt, fill: quiet, if piece.kind == "keep" { data.words.keep } else { str(piece.number) })
          linebreak()
          text(size: if piece.kind == "keep" { 10pt } else { 11.5pt }, weight: 600, piece.says)
          if piece.target != "" {
            parbreak()
            text(size: 9pt, [#data.words.target: #piece.target])
          }
          if piece.worth != "" {
            linebreak()
            text(size: 9pt, fill: quiet, [#data.words.worth #piece.worth #data.words.a_lap])
          }
        },
        if piece.map != "" { align(top, image(piece.map, width: 100%)) },
        if piece.curves != "" { align(top, image(piece.curves, width: 100%)) },
      )
    ]
  }
  #line(length: 100%, stroke: 0.5pt + rgb("#ddd7ca"))
  #v(-1mm)
  #for (index, role) in data.roles.enumerate() {
    box(baseline: -1mm, legend-line(role))
    h(1.5mm)
    text(size: 8pt, fill: quiet, data.legend.at(index))
    h(6mm)
  }
  #if data.note != "" { text(size: 8pt, fill: quiet, data.note) }

  // What is left of the page is for a pen.
  #let left = 222mm - data.parts * unit
  #if left > 30mm [
    #v(2mm)
    #text(size: 8pt, fill: quiet, data.words.notes)
    #for _ in range(calc.floor((left - 12mm) / 9mm)) [
      #v(9mm - 1em)
      #line(length: 100%, stroke: 0.4pt + rgb("#ddd7ca"))
    ]
  ]
]
