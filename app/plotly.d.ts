/** The bundle of the charts with two axes; its types are those of the whole. */
declare module 'plotly.js-cartesian-dist-min' {
  import * as Plotly from 'plotly.js'

  export default Plotly
}
