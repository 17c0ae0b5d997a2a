// The jobs of all reels, read anew while any is under way.

import "../app/notices.js";
import { jobsOf } from "../jobs/jobs.js";
import { toggleTheme } from "../lib/colours.js";

const soon = 700,
  later = 5000;

function jobspage() {
  return {
    problem: "",
    jobs: /** @type {any} */ ({ list: [], standing: () => "", ended: () => true, what: () => "", file: () => "" }),
    init() {
      this.jobs = jobsOf(0, (text) => (this.problem = text));
      void this.follow();
    },
    async follow() {
      this.problem = "";
      await this.jobs.read();
      setTimeout(() => void this.follow(), this.jobs.busy().length ? soon : later);
    },
    theme() {
      toggleTheme();
    },
  };
}

document.addEventListener("alpine:init", () => Alpine.data("jobspage", jobspage));
