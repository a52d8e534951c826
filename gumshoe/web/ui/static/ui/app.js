// The shell: theme, keyboard, drafts that survive an interruption, progress on slow forms.
(function() {
  "use strict";
  var root = document.documentElement;

  function theme(name) {
    root.setAttribute("data-theme", name);
    try {
      localStorage.setItem("gumshoe-theme", name);
    } catch (error) {
      /* private window: the choice lasts this page */
    }
  }
  try {
    if (localStorage.getItem("gumshoe-theme") === "night") root.setAttribute("data-theme", "night");
  } catch (error) {
    /* as above */
  }

  function typing(target) {
    return target.matches("input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]");
  }

  var KEYS = "gumshoe-keys";

  function keysOff() {
    try {
      return localStorage.getItem(KEYS) === "off";
    } catch (error) {
      return false;
    }
  }

  function keysState(box) {
    box.checked = !keysOff();
    box.addEventListener("change", function() {
      try {
        localStorage.setItem(KEYS, box.checked ? "on" : "off");
      } catch (error) {
        /* private window: on again next time */
      }
    });
  }

  function keys(event) {
    if (keysOff()) return;
    if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
    var dialog = document.getElementById("keys-dialog");
    if (event.key === "?" && dialog) {
      dialog.open ? dialog.close() : dialog.showModal();
      event.preventDefault();
      return;
    }
    if (dialog && dialog.open) return;
    // A key that many share goes from one to the next and leaves the pressing to Enter.
    var many = Array.from(document.querySelectorAll('[data-key-next="' + CSS.escape(event.key.toLowerCase()) + '"]'))
      .filter(function(one) {
        return one.offsetParent !== null;
      });
    if (many.length) {
      event.preventDefault();
      many[(many.indexOf(document.activeElement) + 1) % many.length].focus();
      return;
    }
    var target = document.querySelector('[data-key="' + CSS.escape(event.key.toLowerCase()) + '"]');
    if (target && !target.disabled) {
      event.preventDefault();
      target.focus();
      target.click();
    }
  }

  var SENT = "gumshoe-sent";

  // Drafts whose form was sent go once a page came back that is neither an error nor the sign-in page.
  function forgetStored() {
    var came = (performance.getEntriesByType("navigation")[0] || {}).responseStatus || 200;
    var refused = !root.hasAttribute("data-signed-in") || came >= 400 || document.querySelector(".errorlist");
    try {
      if (!refused) JSON.parse(sessionStorage.getItem(SENT) || "[]").forEach(function(name) {
        localStorage.removeItem(name);
      });
      sessionStorage.removeItem(SENT);
    } catch (error) {
      /* nothing kept */
    }
  }

  function forgetAll() {
    try {
      Object.keys(localStorage).filter(function(name) {
          return name.indexOf("gumshoe-draft:") === 0;
        })
        .forEach(function(name) {
          localStorage.removeItem(name);
        });
    } catch (error) {
      /* nothing kept */
    }
  }

  function drafts(form) {
    var name = "gumshoe-draft:" + form.dataset.draft;

    function read() {
      try {
        return JSON.parse(localStorage.getItem(name) || "null");
      } catch (error) {
        return null;
      }
    }
    var kept = read();
    if (kept && !form.querySelector(".errorlist")) {
      Array.from(form.elements).forEach(function(field) {
        if (!field.name || field.type === "hidden" || !(field.name in kept)) return;
        if (field.type === "checkbox" || field.type === "radio") field.checked = kept[field.name].indexOf(field
          .value) >= 0;
        else field.value = kept[field.name][0];
      });
      var note = form.querySelector("[data-draft-note]");
      if (note) note.hidden = false;
    }
    form.addEventListener("input", function() {
      var values = {};
      new FormData(form).forEach(function(value, key) {
        if (key !== "csrfmiddlewaretoken")(values[key] = values[key] || []).push(value);
      });
      try {
        localStorage.setItem(name, JSON.stringify(values));
      } catch (error) {
        /* full: the form still works */
      }
    });
    form.addEventListener("submit", function() {
      try { // kept until the server has it: the next page says whether it does
        var sent = JSON.parse(sessionStorage.getItem(SENT) || "[]");
        sessionStorage.setItem(SENT, JSON.stringify(sent.concat(name)));
      } catch (error) {
        /* full: the form still works */
      }
    });
  }

  function busy(form) {
    form.addEventListener("submit", function() {
      var button = form.querySelector("button[type=submit], button:not([type])");
      var began = Date.now();
      if (!button) return;
      setTimeout(function() {
        button.disabled = true;
      }, 0);
      setInterval(function() {
        button.textContent = form.dataset.busy + " " + ((Date.now() - began) / 1000).toFixed(0) + " s";
      }, 250);
    });
  }

  // What is folded on a narrow screen: a button shows it and hides it.
  function unfolds(button) {
    var what = document.getElementById(button.dataset.unfolds);

    function show(open) {
      what.classList.toggle("unfolded", open);
      button.setAttribute("aria-expanded", String(open));
    }
    button.addEventListener("click", function() {
      show(!what.classList.contains("unfolded"));
    });
    what.addEventListener("keydown", function(event) {
      if (event.key !== "Escape") return;
      show(false);
      button.focus();
    });
  }

  // A file that is chosen is sent: a photograph is in the case with one press.
  function atOnce(form) {
    form.addEventListener("change", function() {
      form.classList.add("busy");
      form.requestSubmit();
    });
  }

  // Long lists are narrowed as one types: rows of a place on the page, and the choices of every long select.
  var LONG = 20;

  function narrows(field) {
    var place = document.getElementById(field.dataset.narrows),
      empty = place.querySelector("[data-narrowed-to-nothing]");
    var folded = Array.from(place.querySelectorAll("details")).map(function(one) {
      return [one, one.open];
    });
    field.addEventListener("input", function() {
      var wanted = field.value.trim().toLowerCase().split(/\s+/).filter(Boolean),
        left = 0;
      place.querySelectorAll("[data-row]").forEach(function(row) {
        var text = row.textContent.toLowerCase();
        row.hidden = !wanted.every(function(word) {
          return text.indexOf(word) >= 0;
        });
        left += row.hidden ? 0 : 1;
      });
      folded.forEach(function(pair) {
        var any = pair[0].querySelector("[data-row]:not([hidden])");
        pair[0].hidden = wanted.length > 0 && !any;
        pair[0].open = wanted.length ? Boolean(any) : pair[1];
      });
      if (empty) empty.hidden = left > 0;
    });
  }

  function narrowed(select) {
    if (select.options.length < LONG || select.multiple) return;
    var every = Array.from(select.options),
      field = document.createElement("input");
    field.type = "search";
    field.placeholder = "type to shorten the list";
    field.setAttribute("aria-label", "Shorten the list: " + (select.labels[0] ? select.labels[0].textContent.trim() :
      ""));
    field.className = "narrow";
    field.addEventListener("input", function() {
      var wanted = field.value.trim().toLowerCase().split(/\s+/).filter(Boolean),
        held = select.value;
      select.replaceChildren.apply(select, every.filter(function(one) {
        var text = one.textContent.toLowerCase();
        return !one.value || wanted.every(function(word) {
          return text.indexOf(word) >= 0;
        });
      }));
      select.value = held;
      if (select.selectedIndex < 0) select.selectedIndex = select.options.length > 1 && !select.options[0].value ?
        1 : 0;
    });
    field.addEventListener("keydown", function(event) {
      if (event.key === "Enter") {
        event.preventDefault();
        select.focus();
      }
    });
    select.parentNode.insertBefore(field, select);
  }

  // A part of the page that takes its time is fetched once the rest stands, and says how long it has been at it.
  function load(place) {
    var began = Date.now();
    var ticking = setInterval(function() {
      place.firstElementChild.textContent = place.dataset.busy + " " + ((Date.now() - began) / 1000).toFixed(0) +
        " s";
    }, 500);
    fetch(place.dataset.load).then(function(response) {
      if (!response.ok || response.redirected) throw new Error();
      return response.text();
    }).then(function(html) {
      clearInterval(ticking);
      place.innerHTML = html;
    }, function() {
      clearInterval(ticking);
      place.firstElementChild.textContent = "This part did not come. Reload the page to try again.";
    });
  }

  document.addEventListener("DOMContentLoaded", function() {
    document.querySelectorAll("[data-load]").forEach(load);
    document.querySelectorAll("[data-narrows]").forEach(narrows);
    document.querySelectorAll("select").forEach(narrowed);
    document.addEventListener("keydown", keys);
    document.querySelectorAll("[data-theme-toggle]").forEach(function(button) {
      button.addEventListener("click", function() {
        theme(root.getAttribute("data-theme") === "night" ? "day" : "night");
      });
    });
    forgetStored();
    document.querySelectorAll("form[data-draft]").forEach(drafts);
    document.querySelectorAll("form[data-forget-drafts]").forEach(function(form) {
      form.addEventListener("submit", forgetAll);
    });
    document.querySelectorAll("form[data-busy]").forEach(busy);
    document.querySelectorAll("[data-print]").forEach(function(button) {
      button.addEventListener("click", function() {
        window.print();
      });
    });
    document.querySelectorAll("[data-unfolds]").forEach(unfolds);
    document.querySelectorAll("form[data-at-once]").forEach(atOnce);
    document.querySelectorAll("[data-close-dialog]").forEach(function(button) {
      button.addEventListener("click", function() {
        button.closest("dialog").close();
      });
    });
    document.querySelectorAll("[data-keys-on]").forEach(keysState);
    document.querySelectorAll("[data-keys]").forEach(function(button) {
      button.addEventListener("click", function() {
        document.getElementById("keys-dialog").showModal();
      });
    });
  });

  // Requests of the page's own scripts: JSON in, JSON out, errors with their remedies.
  window.Gumshoe = {
    keysOff: keysOff,
    csrf: function() {
      return document.querySelector("meta[name=csrf]").content;
    },
    get: function(url) {
      return fetch(url, {
        headers: {
          Accept: "application/json"
        }
      }).then(answer, gone);
    },
    post: function(url, data) {
      var body = new URLSearchParams(data || {});
      return fetch(url, {
        method: "POST",
        body: body,
        headers: {
          Accept: "application/json",
          "X-CSRFToken": window.Gumshoe.csrf()
        }
      }).then(answer, gone);
    },
    setup: function(id) {
      return JSON.parse(document.getElementById(id).textContent);
    },
    // One object out of two; getters stay getters, and the other's come first.
    merge: function(one, other) {
      return Object.defineProperties(one, Object.getOwnPropertyDescriptors(other));
    },
    // Something that runs at the server: started, looked at until it has ended, stopped. `draw` shows a state.
    watched: function(id) {
      return {
        setup: null,
        state: {
          running: false
        },
        trouble: "",
        init: function() {
          this.setup = window.Gumshoe.setup(id);
          this.look();
        },
        look: function() {
          var self = this;
          self.ask(window.Gumshoe.get(self.setup.state), function(state) {
            self.draw(state);
            if (state.running) setTimeout(function() {
              self.look();
            }, 300);
          });
        },
        start: function() {
          var self = this;
          self.ask(window.Gumshoe.post(self.setup.start), function() {
            self.state = {
              running: true
            };
            self.look();
          });
        },
        stop: function() {
          this.ask(window.Gumshoe.post(this.setup.stop), this.draw.bind(this));
        },
        ask: function(answer, then) {
          var self = this;
          answer.then(function(state) {
            self.trouble = "";
            then(state);
          }, function(error) {
            self.trouble = error.message;
          });
        },
        draw: function(state) {
          this.state = state;
        },
        get running() {
          return Boolean(this.state.running);
        },
        get idle() {
          return !this.state.running;
        },
        get words() {
          return this.state.words || "";
        },
        get hasTrouble() {
          return Boolean(this.trouble);
        }
      };
    }
  };

  function gone() {
    var error = new Error(
      "The server does not answer. What is stored is safe there. Try: look at the network and the server, then press again."
    );
    error.gone = true;
    throw error;
  }

  function answer(response) {
    return response.json().catch(function() {
      throw new Error("The server answered something that cannot be read (" + response.status +
        "). Reload the page.");
    }).then(function(data) {
      if (response.ok) return data;
      var text = data.error + (data.kept ? " " + data.kept : "");
      if (data.remedies && data.remedies.length) text += " Try: " + data.remedies.join("; ") + ".";
      throw new Error(text);
    });
  }
})();
