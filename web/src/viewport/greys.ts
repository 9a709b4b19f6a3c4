/** Linear reflectances of the chart's steps: black cloth to white paper, 18 % grey among them. Common practice, without a source. */
export const GREYS = [0.03, 0.09, 0.18, 0.36, 0.59, 0.9]
