import { ref } from "vue";

/** Somebody is asked for their password: what their answer does. */
export interface Question {
  answer: (password: string | undefined) => void;
}

/** The question that stands; the frame of the console shows it. */
export const question = ref<Question>();

/** Asks the signed-in person for their password; undefined if they would rather not. */
export function askPassword(): Promise<string | undefined> {
  question.value?.answer(undefined);
  return new Promise((done) => {
    question.value = {
      answer: (password) => {
        question.value = undefined;
        done(password);
      },
    };
  });
}
